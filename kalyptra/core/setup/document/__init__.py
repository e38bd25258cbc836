"""What a setup is made of: one frozen model a matter."""
