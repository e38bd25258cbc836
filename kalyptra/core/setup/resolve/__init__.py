"""The setup at one frame: every keyed value made plain. No pictures are touched."""
