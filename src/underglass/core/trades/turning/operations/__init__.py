"""Fill-in operations of turning."""
