"""Numbers in addresses and requests: rows of the store, and what counts them. What no row can have is told, not looked up."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

MOST = 2**31 - 1  # of the store's integers

Id = Annotated[int, Field(ge=1, le=MOST)]
Count = Annotated[int, Field(ge=0, le=MOST)]
