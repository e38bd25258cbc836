"""A number's control takes its limits from the setup, and says so where a template asks for more."""

from __future__ import annotations

from django.template import Context, Template
from django.test import SimpleTestCase


def shown(words: str) -> str:
    return Template("{% number " + words + " %}").render(Context())


class Numbers(SimpleTestCase):
    def test_what_may_be_typed_is_the_setups_and_the_slider_goes_over_a_part_of_it(self) -> None:
        html = shown('"Focal length" "lens.focal_length_mm" spans="4 600" slider=True')
        for words in ('data-low="1.0"', 'data-high="2000.0"', 'data-from="4.0"', 'data-to="600.0"'):
            self.assertIn(words, html)

    def test_a_slider_beyond_what_is_allowed_and_a_number_that_is_not_there_are_errors(self) -> None:
        with self.assertRaises(ValueError):
            shown('"Focal length" "lens.focal_length_mm" spans="0 600"')
        with self.assertRaises(KeyError):
            shown('"Focal length" "lens.focal_width"')
