"""What is looked for in turning."""
