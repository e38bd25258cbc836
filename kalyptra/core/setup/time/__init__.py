"""Values over time: keys, easing, and what following found summed up."""
