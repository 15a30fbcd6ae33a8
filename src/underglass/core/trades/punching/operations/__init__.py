"""Fill-in operations of punching."""
