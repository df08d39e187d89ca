"""What fields of several steps hold."""

from typing import Annotated, Literal

from pydantic import Field

Auto = Literal["auto"]
Colour = Annotated[str, Field(pattern=r"^#[0-9A-Fa-f]{6}$")]
Place = Annotated[int | float, Field(ge=0, le=1_000_000, allow_inf_nan=False)]
"""A pixel's index along one side of the whole picture; broken where the work area was resampled."""
Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
