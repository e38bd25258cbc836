"""Reading a setup of any version: older documents are brought up to date, one step at a time."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from typing import Any

from pydantic import ValidationError
from pydantic_core import PydanticSerializationError, to_json

from kalyptra.core.setup.document.records import Records
from kalyptra.core.setup.document.setup import VERSION, Setup
from kalyptra.core.setup.files.size import MOST_BYTES, SURELY_WITHIN, SetupTooLarge, check_size
from kalyptra.core.setup.files.upgrade_1 import shapes_to_outlines
from kalyptra.core.setup.files.upgrade_2 import mattes_say_their_kind
from kalyptra.core.setup.files.upgrade_3 import backdrop_to_source

Document = dict[str, Any]

STEPS: Mapping[int, Callable[[Document], Document]] = {
    1: shapes_to_outlines,
    2: mattes_say_their_kind,
    3: backdrop_to_source,
    4: lambda document: {**document, "version": 5},  # what was found over frames may lie in records since
    5: lambda document: {**document, "version": 6},  # a finish may follow the lens since
    6: lambda document: {**document, "version": 7},  # steps of outlines may say where their region ends since
}
"""For each older version the function that makes the next one of it."""


class SetupError(ValueError):
    """A setup that cannot be read. The text says which field and why."""


def read_setup(document: str | bytes | Mapping[str, Any], records: Records | None = None) -> Setup:
    """Read a setup document.

    Args:
        document: JSON text, or what it holds.
        records: where records that it names are kept; not needed for one that names none.

    Raises:
        SetupError: it is no setup, of a version that is newer than this program, or out of bounds.
        NotKept: a record that it names is not there.
    """
    if isinstance(document, str | bytes) and len(document) > MOST_BYTES:
        raise SetupError(f"it is larger than {MOST_BYTES >> 20} MB")
    try:
        given = document if isinstance(document, Mapping) else json.loads(document)
        if not isinstance(given, Mapping):
            raise TypeError("it is not a set of named fields")
        data = dict(given)
        text = _text_of(data)
    except PydanticSerializationError as error:
        raise SetupError("not a setup: it goes too deep, or holds what cannot be written as text") from error
    except (ValueError, TypeError, RecursionError) as error:
        raise SetupError(f"not a setup: {error}") from error
    _check(data, text)
    version = data.get("version", VERSION)
    if not isinstance(version, int) or version > VERSION or version < 1:
        raise SetupError(f"version {version!r} of the setup is not known here; this program reads 1 to {VERSION}")
    try:
        if version < VERSION:
            while version < VERSION:
                data = STEPS[version](data)
                version += 1
            text = _text_of(data)
    except (KeyError, TypeError, ValueError, ZeroDivisionError, AttributeError) as error:
        raise SetupError(f"a setup of version {version} that does not hold together: {error!r}") from error
    try:
        return Setup.model_validate_json(text, context={"records": records})
    except (ValidationError, ValueError) as error:
        raise SetupError(plain_errors(error)) from error


def _text_of(data: Document) -> bytes:
    """As JSON, with what is no number as Python writes it; `json.dumps` takes four times as long."""
    return to_json(data, inf_nan_mode="constants")


def _check(data: Document, text: bytes) -> None:
    if len(text) < SURELY_WITHIN:
        return
    try:
        check_size(data)
    except SetupTooLarge as error:
        raise SetupError(str(error)) from error


def folded(setup: Setup, records: Records) -> Document:
    """A setup as a document that names what was found over frames, instead of holding it; what is new is kept.

    Raises:
        SetupError: it has become too large.
    """
    document = setup.model_dump(mode="json", context={"records": records})
    _check(document, _text_of(document))
    return document


def plain_errors(error: Exception) -> str:
    """A validation error in words: where, and what is wrong, at most three of them."""
    if not isinstance(error, ValidationError):
        return str(error)
    lines = []
    details = error.errors()
    # A list whose parts are wrong is told to be too short as well.
    echoes = [detail for detail in details if detail["type"] == "too_short" and len(details) > 1]
    for detail in [detail for detail in details if detail not in echoes][:3]:
        where = " > ".join(str(part).replace("_", " ") for part in detail["loc"])
        lines.append(f"{where}: {detail['msg']}" if where else detail["msg"])
    return "; ".join(lines)
