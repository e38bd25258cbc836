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
from kalyptra.core.frame import CutOut, Opening, Plate, Quality, Sources, View, render_frame, through_lens
from kalyptra.core.identity import look_identity
from kalyptra.core.lens.optics import ThinLens
from kalyptra.core.plate.fill import fill
from kalyptra.core.reading import Reading, iris_outline, read_frame
from kalyptra.core.setup.document import Footage, Output, Setup
from kalyptra.core.setup.upgrade import SetupError, read_setup
from kalyptra.core.warm import warm_up

__all__ = [
    "ClipFacts",
    "CutOut",
    "Footage",
    "FrameUnreadable",
    "GuardedFailure",
    "HeldPicture",
    "Kind",
    "NotFootage",
    "Opening",
    "Output",
    "Plate",
    "Quality",
    "Rate",
    "ReaderPool",
    "Reading",
    "RenderJob",
    "Setup",
    "SetupError",
    "Sources",
    "ThinLens",
    "Transfer",
    "View",
    "decode_and_encode",
    "decode_still",
    "fill",
    "iris_outline",
    "keep_freed_memory",
    "look_identity",
    "make_proxy",
    "open_clip",
    "probe",
    "proxy_size",
    "rate_text",
    "read_frame",
    "read_setup",
    "render_frame",
    "render_to_file",
    "shrink",
    "through_lens",
    "timecode",
    "to_codes",
    "to_light",
    "warm_up",
]
