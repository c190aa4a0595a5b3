"""What tests share: small models, random ones, the demo company on a desk of its own, gestures, a browser, laws."""
