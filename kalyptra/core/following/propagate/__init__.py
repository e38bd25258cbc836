"""One step of carrying a matte from a frame to the next, as two layers that move apart."""
