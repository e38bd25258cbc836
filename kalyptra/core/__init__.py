"""The core's front: everything that the web, the jobs and the shell may use of it.

It imports no Django, no web code and no database.
"""

from kalyptra.core.clip.emerging import Emerging, NotYet, want
from kalyptra.core.clip.facts import ClipFacts, FootageKind, Rate, Transfer
from kalyptra.core.clip.guarded import GuardedFailure
from kalyptra.core.clip.maps import Channel
from kalyptra.core.clip.probe import LongGaps, NotFootage, probe, rate_text
from kalyptra.core.clip.proxy import make_proxy
from kalyptra.core.clip.reader import (
    FrameUnreadable,
    HeldPicture,
    Picture,
    PictureSource,
    ReaderPool,
    damage_words,
    decode_still,
    eight_bits,
    open_clip,
    shrink,
)
from kalyptra.core.clip.timecode import timecode
from kalyptra.core.clip.transfer import to_codes, to_light
from kalyptra.core.compiled import keep_freed_memory, one_thread_a_frame
from kalyptra.core.compose import Sources
from kalyptra.core.distance.stack import Layer, stack
from kalyptra.core.edit import ByHand, ClipExtent, Command, Refused, apply, words_of
from kalyptra.core.edit.findings import (
    TakeCard,
    TakeFeet,
    TakeGrain,
    TakeMapFile,
    TakeMatteFile,
    TakeMattes,
    TakePatches,
    TakePlateFile,
    TakeSourceSteps,
    TakeSteps,
    TakeTable,
    source_with_steps,
)
from kalyptra.core.edit.looks import PART_WORDS, PutLook, replaces, taken_look
from kalyptra.core.edit.outline_keys import changed, curve_of, drawn_outline, keyed_by_hand, with_steps
from kalyptra.core.edit.recipes import Recipe, with_recipe
from kalyptra.core.edit.subjects import EDGE_OF_DRAWN, EDGE_OF_FOUND, PLATE_GROWTH, AddSubject
from kalyptra.core.edit.values import Put
from kalyptra.core.export import RenderJob, decode_and_encode, render_to_file
from kalyptra.core.export_mattes import Format, MatteJob, mattes_to_file
from kalyptra.core.finish.colours import with_colours
from kalyptra.core.finish.grain import carry_grain
from kalyptra.core.finish.table import with_table
from kalyptra.core.focus.record import cleaned, fit_keys
from kalyptra.core.focus.table import NoTable
from kalyptra.core.focus.table import written as write_focus
from kalyptra.core.following.feet import feet, grounded, matte_name
from kalyptra.core.following.finding import follow_people
from kalyptra.core.following.fine_edge import at_full_size
from kalyptra.core.following.grain import grain_of_clip
from kalyptra.core.following.mattes import PropagatedMatte, follow_keys, follow_mattes
from kalyptra.core.following.outline_range import follow_back, follow_range
from kalyptra.core.following.outlines import OnLoss, follow, follow_together
from kalyptra.core.following.plates import recover, recover_to_store
from kalyptra.core.following.sources import follow_source, free_of
from kalyptra.core.frame import render_frame, render_look
from kalyptra.core.identity import look_identity
from kalyptra.core.importing import (
    card_to_store,
    focus_from_table,
    import_to_store,
    map_to_store,
    outlines_from_svg,
    table_to_store,
)
from kalyptra.core.layered import CutOut, Opening, Plate, Quality, through_lens
from kalyptra.core.lens.optics import ThinLens
from kalyptra.core.matte.drawn import curve_matte, drawn_matte
from kalyptra.core.matte.marks import marked_matte
from kalyptra.core.matte.refine import edged
from kalyptra.core.matte.stored import codes_of, coverage_of, laid_over
from kalyptra.core.matte_cache import MatteCache
from kalyptra.core.plate.clean_plate import KnownPlate, clean_plate
from kalyptra.core.proof.advice import Note
from kalyptra.core.proof.distance import palette
from kalyptra.core.proof.doubt import DoubtfulPlace, doubtful_bend, doubtful_place
from kalyptra.core.proof.tint import MATTE_COLOURS, Tint
from kalyptra.core.proof.views import View
from kalyptra.core.pull_push import fill
from kalyptra.core.reading import (
    LensReading,
    SubjectReading,
    carried_values,
    focus_notes,
    iris_outline,
    marks_at,
    read_frame,
    speeds,
)
from kalyptra.core.setup.document.distance import MOST_SOURCES, Followable, Ground, MapFile
from kalyptra.core.setup.document.finish import MeasuredGrain
from kalyptra.core.setup.document.followed import Motion
from kalyptra.core.setup.document.limits import limits_of
from kalyptra.core.setup.document.named_look import LookPart, NamedLook
from kalyptra.core.setup.document.needs import frames_without, pictures_needed, spans
from kalyptra.core.setup.document.outline import Joins, Outline
from kalyptra.core.setup.document.setup import (
    VERSION,
    AnyMatte,
    Edge,
    Footage,
    PlateSettings,
    PlateSource,
    Refine,
    Setup,
    Subject,
    outlines_of,
)
from kalyptra.core.setup.document.stored import FoundMatte, How, ImportedMatte, PlatePatch, Spot, Stroke
from kalyptra.core.setup.files.read import SetupError, folded, read_setup
from kalyptra.core.setup.files.svg import DrawnOutline, NotOutlines, read_svg, write_svg
from kalyptra.core.setup.geometry.border import packed
from kalyptra.core.setup.geometry.curve import Curve
from kalyptra.core.setup.geometry.fit import fit_closed
from kalyptra.core.setup.geometry.sizes import EVERYDAY_THINGS
from kalyptra.core.setup.resolve.blur import CharacterAt
from kalyptra.core.setup.resolve.finish import ColoursAt, GrainAt
from kalyptra.core.setup.resolve.look import Look, camera_of, numbers_at, resolve
from kalyptra.core.setup.resolve.outline import (
    NEEDS_A_LOOK,
    TrustKind,
    outline_at,
    outline_trust,
    placed_at,
    placed_points,
    trust,
)
from kalyptra.core.setup.resolve.space import SpacePlan
from kalyptra.core.setup.time.easing import Ease
from kalyptra.core.setup.time.track import Step
from kalyptra.core.store import PICTURE, RECORD, EmptyStore, FolderStore, NotInStore
from kalyptra.core.surveying import survey, ways
from kalyptra.core.warm import warm_step, warm_steps, warm_up

__all__ = [
    "EDGE_OF_DRAWN",
    "EDGE_OF_FOUND",
    "EVERYDAY_THINGS",
    "MATTE_COLOURS",
    "MOST_SOURCES",
    "NEEDS_A_LOOK",
    "PART_WORDS",
    "PICTURE",
    "PLATE_GROWTH",
    "RECORD",
    "VERSION",
    "AddSubject",
    "AnyMatte",
    "ByHand",
    "Channel",
    "CharacterAt",
    "ClipExtent",
    "ClipFacts",
    "ColoursAt",
    "Command",
    "Curve",
    "CutOut",
    "DoubtfulPlace",
    "DrawnOutline",
    "Ease",
    "Edge",
    "Emerging",
    "EmptyStore",
    "FolderStore",
    "Followable",
    "Footage",
    "FootageKind",
    "Format",
    "FoundMatte",
    "FrameUnreadable",
    "GrainAt",
    "Ground",
    "GuardedFailure",
    "HeldPicture",
    "How",
    "ImportedMatte",
    "Joins",
    "KnownPlate",
    "Layer",
    "LensReading",
    "LongGaps",
    "Look",
    "LookPart",
    "MapFile",
    "MatteCache",
    "MatteJob",
    "MeasuredGrain",
    "Motion",
    "NamedLook",
    "NoTable",
    "NotFootage",
    "NotInStore",
    "NotOutlines",
    "NotYet",
    "Note",
    "OnLoss",
    "Opening",
    "Outline",
    "Picture",
    "PictureSource",
    "Plate",
    "PlatePatch",
    "PlateSettings",
    "PlateSource",
    "PropagatedMatte",
    "Put",
    "PutLook",
    "Quality",
    "Rate",
    "ReaderPool",
    "Recipe",
    "Refine",
    "Refused",
    "RenderJob",
    "Setup",
    "SetupError",
    "Sources",
    "SpacePlan",
    "Spot",
    "Step",
    "Stroke",
    "Subject",
    "SubjectReading",
    "TakeCard",
    "TakeFeet",
    "TakeGrain",
    "TakeMapFile",
    "TakeMatteFile",
    "TakeMattes",
    "TakePatches",
    "TakePlateFile",
    "TakeSourceSteps",
    "TakeSteps",
    "TakeTable",
    "ThinLens",
    "Tint",
    "Transfer",
    "TrustKind",
    "View",
    "apply",
    "at_full_size",
    "camera_of",
    "card_to_store",
    "carried_values",
    "carry_grain",
    "changed",
    "clean_plate",
    "cleaned",
    "codes_of",
    "coverage_of",
    "curve_matte",
    "curve_of",
    "damage_words",
    "decode_and_encode",
    "decode_still",
    "doubtful_bend",
    "doubtful_place",
    "drawn_matte",
    "drawn_outline",
    "edged",
    "eight_bits",
    "feet",
    "fill",
    "fit_closed",
    "fit_keys",
    "focus_from_table",
    "focus_notes",
    "folded",
    "follow",
    "follow_back",
    "follow_keys",
    "follow_mattes",
    "follow_people",
    "follow_range",
    "follow_source",
    "follow_together",
    "frames_without",
    "free_of",
    "grain_of_clip",
    "grounded",
    "import_to_store",
    "iris_outline",
    "keep_freed_memory",
    "keyed_by_hand",
    "laid_over",
    "limits_of",
    "look_identity",
    "make_proxy",
    "map_to_store",
    "marked_matte",
    "marks_at",
    "matte_name",
    "mattes_to_file",
    "numbers_at",
    "one_thread_a_frame",
    "open_clip",
    "outline_at",
    "outline_trust",
    "outlines_from_svg",
    "outlines_of",
    "packed",
    "palette",
    "pictures_needed",
    "placed_at",
    "placed_points",
    "probe",
    "rate_text",
    "read_frame",
    "read_setup",
    "read_svg",
    "recover",
    "recover_to_store",
    "render_frame",
    "render_look",
    "render_to_file",
    "replaces",
    "resolve",
    "shrink",
    "source_with_steps",
    "spans",
    "speeds",
    "stack",
    "survey",
    "table_to_store",
    "taken_look",
    "through_lens",
    "timecode",
    "to_codes",
    "to_light",
    "trust",
    "want",
    "warm_step",
    "warm_steps",
    "warm_up",
    "ways",
    "with_colours",
    "with_recipe",
    "with_steps",
    "with_table",
    "words_of",
    "write_focus",
    "write_svg",
]
