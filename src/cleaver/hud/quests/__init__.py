"""What a player sees of quests."""
