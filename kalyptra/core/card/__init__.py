"""Pictures on flat cards in space: sampled, hiding each other, and what is seen around them."""

from __future__ import annotations

from kalyptra.core.card.around import around_card
from kalyptra.core.card.hiding import LaidCard, back_to_front
from kalyptra.core.card.sampled import laid_card

__all__ = ["LaidCard", "around_card", "back_to_front", "laid_card"]
