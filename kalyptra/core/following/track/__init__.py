"""Following an outline from one frame to the next.

`step.py` reads like the method: corners are tracked inside the outline and around it (`corners.py`), where something
lies in front is left out (`appearance.py`), the subject's motion is fitted to them (`motion.py`) and compared with
where the subject was last known for good (`anchor.py`), what moves on its own is spread smoothly (`scattered.py`),
every pixel near the line is asked whether it belongs to the subject (`evidence.py`), and the line is drawn to where the
answer changes (`active_contour.py`). All positions are px with the middle of the first pixel at 0.5, 0.5.
"""
