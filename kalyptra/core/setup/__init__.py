"""The setup document: its models, its keys over time, and its upgrades."""
