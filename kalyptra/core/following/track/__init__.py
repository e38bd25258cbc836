"""Following an outline from one frame to the next.

One that keeps its shape is found by corners inside it (`step.py`): they are tracked forwards and back (`corners.py`),
where something lies in front is left out (`appearance.py`), the subject's motion is fitted to them (`motion.py`) and
compared with where the subject was last known for good (`anchor.py`). A free outline encloses a region that is followed
as a matte (`propagate/`), and its line goes along with that (`by_region.py`, `matched_line.py`). All positions are px
with the middle of the first pixel at 0.5, 0.5.
"""
