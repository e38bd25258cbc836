"""The base of every model in a setup."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict


class Frozen(BaseModel):
    """Base of everything in a setup: immutable, strict about unknown fields, finite numbers only."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)
