"""How large a number may be is read from the types that refuse it."""

from __future__ import annotations

from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from kalyptra.core import Refine, limits_of
from kalyptra.core.setup.document.setup import Lens


class LimitsOfNumbers(TestCase):
    @given(st.sampled_from([("lens", Lens), ("@.refine", Refine)]), st.data())
    def test_a_number_at_its_limits_is_taken_and_one_beyond_them_is_refused(self, of, data) -> None:
        where, model = of
        plain = [name for name, field in model.model_fields.items() if field.annotation in (float, int)]
        name = data.draw(st.sampled_from(plain))
        low, high = limits_of(f"{where}.{name}")
        others = {"white": 1.0} if name == "black" else {}
        for value in (low, high):
            self.assertEqual(getattr(model(**others, **{name: value}), name), value)
        for value in (low - 1, high + 1):
            with self.assertRaises(ValueError):
                model(**others, **{name: value})

    def test_what_has_keys_has_the_limits_of_its_values_and_kinds_of_source_have_theirs_together(self) -> None:
        self.assertEqual(limits_of("focus.distance"), limits_of("@.distance"))
        self.assertEqual(limits_of("#.strength"), (0.0, 1.0))
        self.assertEqual(
            limits_of("#.width"), (0.0, 100_000.0)
        )  # of a page 0.001 to 10,000 m, of a band 0 to 100,000 px

    def test_what_is_no_number_of_a_setup_has_no_limits(self) -> None:
        for path in ("lens", "lens.length", "@.name", ""):
            with self.assertRaises(KeyError):
                limits_of(path)
