"""What a player sees of goods."""
