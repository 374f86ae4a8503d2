"""Theme, icons and fonts."""
