"""What a player sees of vitals."""
