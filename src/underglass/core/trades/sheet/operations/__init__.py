"""Fill-in operations of sheet cutting."""
