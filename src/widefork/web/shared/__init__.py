"""What pages share: addresses, formats, charts, the frame."""
