"""Timecode: the frame count in hours, minutes, seconds and frames.

Source: SMPTE ST 12-1. Drop-frame leaves out the first two (at 60000/1001: four) frame numbers of each minute but
every tenth, so that the count keeps up with the clock at 30000/1001.
"""

from __future__ import annotations

from kalyptra.core.clip.facts import Rate


def timecode(frame: int, rate: Rate) -> str:
    """The timecode of a frame; drop-frame, with a semicolon, where the rate has it."""
    nominal = round(rate.fraction)
    drops = drop_frames(rate)
    if drops:
        ten_minutes = nominal * 600 - drops * 9
        minute = nominal * 60 - drops
        tens, rest = divmod(frame, ten_minutes)
        frame += tens * drops * 9
        if rest >= nominal * 60:
            frame += drops * (1 + (rest - nominal * 60) // minute)
    seconds, frames = divmod(frame, nominal)
    hours, minutes, seconds = seconds // 3600, seconds // 60 % 60, seconds % 60
    mark = ";" if drops else ":"
    return f"{hours:02}:{minutes:02}:{seconds:02}{mark}{frames:02}"


def drop_frames(rate: Rate) -> int:
    """Frame numbers that a minute leaves out: 2, 4, or 0 for rates without drop-frame."""
    nominal = round(rate.fraction)
    return nominal // 15 if rate.denominator == 1001 and nominal in (30, 60) else 0
