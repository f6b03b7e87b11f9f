"""What a player sees of contests."""
