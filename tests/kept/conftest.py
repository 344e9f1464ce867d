"""What the tests here share."""

from ..opened_world import folder, opened

__all__ = ["folder", "opened"]
