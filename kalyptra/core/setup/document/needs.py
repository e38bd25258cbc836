"""Which stored pictures a setup needs, and which frames have no matte."""

from __future__ import annotations

from kalyptra.core.setup.document.distance import MapFile
from kalyptra.core.setup.document.setup import OutlineMatte, PlateSource, Setup


def pictures_needed(setup: Setup, first: int, last: int) -> set[str]:
    """Names of the stored pictures that the frames from first to last are made of."""
    needed: set[str] = set()
    regions = {source.region.subject for source in setup.distance.sources if source.enabled and source.region}
    for subject in setup.subjects:
        if isinstance(subject.matte, OutlineMatte) or not (subject.enabled or subject.id in regions):
            continue
        away = subject.refine.steady
        named = (subject.matte.at(frame) for frame in range(max(0, first - away), last + away + 1))
        needed.update(name for name in named if name)
    for source in setup.distance.sources:
        if isinstance(source, MapFile) and source.enabled:
            needed.update(name for frame in range(first, last + 1) if (name := source.at(frame)))
    if setup.finish.whole.table:
        needed.add(setup.finish.whole.table.name)
    if setup.space is not None and setup.space.enabled:
        needed.update(card.picture for card in setup.space.cards if card.enabled and card.picture)
    plate = setup.plate
    if plate.source is PlateSource.RECOVERED:
        needed.update(patch.picture for patch in plate.patches if first <= patch.frame <= last)
    elif plate.source is PlateSource.IMPORTED and plate.imported:
        needed.update(name for frame in range(first, last + 1) if (name := plate.imported.at(frame)))
    return needed


def frames_without(setup: Setup, first: int, last: int) -> dict[str, list[int]]:
    """Frames from first to last at which a subject that is switched on has no matte, by the subject's name."""
    missing: dict[str, list[int]] = {}
    for subject in setup.subjects:
        if not subject.enabled or isinstance(subject.matte, OutlineMatte):
            continue
        frames = [frame for frame in range(first, last + 1) if subject.matte.at(frame) is None]
        if frames:
            missing[subject.name] = frames
    return missing


def spans(frames: list[int]) -> str:
    """Frame numbers in words: 3 to 9, 14."""
    parts: list[list[int]] = []
    for frame in frames:
        if parts and frame == parts[-1][1] + 1:
            parts[-1][1] = frame
        else:
            parts.append([frame, frame])
    return ", ".join(f"{a} to {b}" if b > a else str(a) for a, b in parts[:6]) + (" and more" if len(parts) > 6 else "")
