"""What each trade adds to the window, a file a trade."""
