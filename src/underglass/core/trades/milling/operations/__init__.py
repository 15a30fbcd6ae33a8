"""Fill-in operations of milling."""
