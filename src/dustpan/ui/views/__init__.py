"""The main views of the window: which there are, and the area that they share."""
