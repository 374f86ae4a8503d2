"""From a sensor's samples to a picture: white balance, demosaicing, highlights, and the noise that comes along."""
