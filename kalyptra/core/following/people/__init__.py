"""Finding people in a picture. The model ships with Kalyptra and runs here; nothing leaves the machine."""
