"""Following over the frames of a clip: drawn outlines, and mattes that were found."""
