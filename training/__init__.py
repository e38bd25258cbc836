"""Training of the network that weighs evidence in following: made samples, training, judging. See README.md."""
