"""One file per migration."""
