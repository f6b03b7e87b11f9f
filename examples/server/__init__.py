"""A server of two rooms on WebSockets, and headless clients. Start at `server`."""
