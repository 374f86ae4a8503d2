"""Steps that finish a picture: how bright, how contrasty, how colourful it is."""
