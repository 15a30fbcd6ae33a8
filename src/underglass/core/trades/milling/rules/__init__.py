"""What can go wrong in milling; importing a module registers its rules."""
