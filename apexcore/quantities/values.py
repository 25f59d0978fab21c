"""Base of the frozen, checked values that also are the file schemas."""

from pydantic import BaseModel, ConfigDict


class Value(BaseModel):
    """An immutable value; unknown keys and numbers that are not finite are refused."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)
