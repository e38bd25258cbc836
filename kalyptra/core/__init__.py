"""The core's front: everything that the web, the jobs and the shell may use of it.

It imports no Django, no web code and no database.
"""

from kalyptra.core.clip.facts import ClipFacts, Kind, Rate, Transfer
from kalyptra.core.clip.guarded import GuardedFailure
from kalyptra.core.clip.probe import NotFootage, probe, rate_text
from kalyptra.core.clip.proxy import make_proxy, proxy_size
from kalyptra.core.clip.reader import FrameUnreadable, HeldPicture, ReaderPool, decode_still, open_clip, shrink
from kalyptra.core.clip.timecode import timecode
from kalyptra.core.clip.transfer import to_codes, to_light
from kalyptra.core.compiled import keep_freed_memory
from kalyptra.core.export import RenderJob, decode_and_encode, render_to_file
from kalyptra.core.following import OnLoss, follow, follow_range
from kalyptra.core.frame import CutOut, Opening, Plate, Quality, Sources, View, render_frame, through_lens
from kalyptra.core.identity import look_identity
from kalyptra.core.lens.optics import ThinLens
from kalyptra.core.matte.drawn import drawn_matte
from kalyptra.core.plate.fill import fill
from kalyptra.core.reading import Reading, iris_outline, read_frame
from kalyptra.core.setup.document import Footage, Output, Refine, Setup
from kalyptra.core.setup.fit import fit_closed
from kalyptra.core.setup.keying import changed, curve_of, drawn_outline, keyed_by_hand, with_steps
from kalyptra.core.setup.outline import Curve, Joins, Motion, Outline
from kalyptra.core.setup.outline_at import NEEDS_A_LOOK, Trust, outline_at, placed_at, trust
from kalyptra.core.setup.outline_at import Kind as TrustKind
from kalyptra.core.setup.svg import DrawnOutline, NotOutlines, read_svg, write_svg
from kalyptra.core.setup.track import Step
from kalyptra.core.setup.upgrade import SetupError, read_setup
from kalyptra.core.warm import warm_up

__all__ = [
    "NEEDS_A_LOOK",
    "ClipFacts",
    "Curve",
    "CutOut",
    "DrawnOutline",
    "Footage",
    "FrameUnreadable",
    "GuardedFailure",
    "HeldPicture",
    "Joins",
    "Kind",
    "Motion",
    "NotFootage",
    "NotOutlines",
    "OnLoss",
    "Opening",
    "Outline",
    "Output",
    "Plate",
    "Quality",
    "Rate",
    "ReaderPool",
    "Reading",
    "Refine",
    "RenderJob",
    "Setup",
    "SetupError",
    "Sources",
    "Step",
    "ThinLens",
    "Transfer",
    "Trust",
    "TrustKind",
    "View",
    "changed",
    "curve_of",
    "decode_and_encode",
    "decode_still",
    "drawn_matte",
    "drawn_outline",
    "fill",
    "fit_closed",
    "follow",
    "follow_range",
    "iris_outline",
    "keep_freed_memory",
    "keyed_by_hand",
    "look_identity",
    "make_proxy",
    "open_clip",
    "outline_at",
    "placed_at",
    "probe",
    "proxy_size",
    "rate_text",
    "read_frame",
    "read_setup",
    "read_svg",
    "render_frame",
    "render_to_file",
    "shrink",
    "through_lens",
    "timecode",
    "to_codes",
    "to_light",
    "trust",
    "warm_up",
    "with_steps",
    "write_svg",
]
