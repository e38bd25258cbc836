"""Parts of a sheet that fold: what one does first is open, fine tuning is folded and says in one line what it holds."""

from __future__ import annotations

from django import template
from django.utils.html import format_html
from django.utils.safestring import SafeString

register = template.Library()


@register.simple_block_tag
def part(content: SafeString, name: str, title: str, unfolded: bool = False, shown: str = "") -> str:
    """A part of a sheet with its title. The page remembers whether it is folded.

    Args:
        name: what it is called in the page's scripts (folded.js), where its one line is made.
        unfolded: whether it is open until somebody folds it.
        shown: what must be true of the component around it, else it is not there at all.
    """
    return format_html(
        '<details class="part" x-data="part" data-part="{}"{}{}><summary><b>{}</b>'
        '<span class="hint" x-text="partWords"></span></summary><div class="part-body">{}</div></details>',
        name,
        format_html(' x-show="{}"', shown) if shown else "",
        SafeString(" open" if unfolded else ""),
        title,
        content,
    )
