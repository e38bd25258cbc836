"""Setting up and starting Kalyptra. Standard library only: it runs before anything is installed."""
