"""What a player sees of saves."""
