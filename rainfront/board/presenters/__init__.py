"""What the pages of boards show."""
