"""Several records as one thing that can be looked at, counted, and handed to pandas."""

from __future__ import annotations

from dataclasses import fields, is_dataclass
from typing import TYPE_CHECKING, Any, TypeVar

if TYPE_CHECKING:
    import pandas

Record = TypeVar("Record", covariant=True)


class Rows(tuple[Record, ...]):
    """Records in order: a tuple, with `to_pandas`."""

    __slots__ = ()

    def to_pandas(self) -> pandas.DataFrame:
        """A frame with a row a record and a column a field; needs pandas."""
        return frame([row_of(each) for each in self])

    def __repr__(self) -> str:
        return f"Rows({', '.join(map(repr, self))})"


def row_of(record: Any) -> dict[str, Any]:
    """The fields of a record by name; what is a mapping already as it is."""
    if is_dataclass(record) and not isinstance(record, type):
        return {each.name: getattr(record, each.name) for each in fields(record) if each.repr}
    return dict(record)


def frame(rows: list[dict[str, Any]]) -> pandas.DataFrame:
    """Rows as a frame of pandas."""
    import pandas

    return pandas.DataFrame(rows)
