"""Units of measure: whether two figures with units are the same amount."""

from __future__ import annotations

_GROUPS: tuple[dict[str, float], ...] = (
    {
        "mm": 1, "millimetre": 1, "millimeter": 1, "cm": 10, "centimetre": 10, "centimeter": 10, "m": 1000, "metre": 1000,
        "meter": 1000, "km": 1e6, "kilometre": 1e6, "kilometer": 1e6,
    },
    {"mg": 1, "g": 1000, "gram": 1000, "gramme": 1000, "kg": 1e6, "kilogram": 1e6, "kilo": 1e6, "t": 1e9, "tonne": 1e9},
    {"ml": 1, "millilitre": 1, "cl": 10, "l": 1000, "litre": 1000, "liter": 1000, "megalitre": 1e9},
    {
        "s": 1, "sec": 1, "second": 1, "min": 60, "minute": 60, "h": 3600, "hr": 3600, "hour": 3600, "day": 86400,
        "week": 604800, "fortnight": 1209600,
    },
    {"month": 1, "quarter": 3, "year": 12},
    {"byte": 1, "kb": 1e3, "mb": 1e6, "gb": 1e9, "tb": 1e12, "kib": 1024, "mib": 1024**2, "gib": 1024**3},
)  # fmt: skip


def same_amount(figure: str, unit: str, other: str, other_unit: str) -> bool:
    """Whether '1.2' 'km' is '1200' 'm'; False where a unit is not known or the two measure different things."""
    ours, theirs = _plain(unit), _plain(other_unit)
    for group in _GROUPS:
        if ours in group and theirs in group:
            try:
                one, two = float(figure) * group[ours], float(other) * group[theirs]
            except ValueError:
                return False
            return abs(one - two) <= 1e-9 * max(abs(one), abs(two))
    return False


_DIMENSIONS = ("length", "weight", "volume", "time", "months", "bytes")


def base_amount(value: float, unit: str) -> tuple[float, str] | None:
    """A value in the base unit of what it measures, and what that is: (1.2, 'km') → (1200000.0, 'length'); None for no unit."""
    plain = _plain(unit)
    for name, group in zip(_DIMENSIONS, _GROUPS):
        if plain in group:
            return value * group[plain], name
    return None


def is_unit(word: str) -> bool:
    """Whether a lower-cased word is a unit that is known here."""
    return any(_plain(word) in group for group in _GROUPS)


def _plain(unit: str) -> str:
    unit = unit.lower()
    return unit[:-1] if len(unit) > 2 and unit.endswith("s") else unit
