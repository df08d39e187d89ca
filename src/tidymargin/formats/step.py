"""A step of a recipe: frozen, and plain JSON both ways.

A step is known by the hash of the text that it was stored as, whatever fields it has got since. Where fields change
their meaning or go, its `VERSION` is raised, and `UPGRADES` has a small function that brings the JSON of the version
before to it.
"""

import hashlib
import json
import re
from collections.abc import Callable, Mapping
from typing import Any, ClassVar, Self

from pydantic import (
    BaseModel,
    ConfigDict,
    GetCoreSchemaHandler,
    GetJsonSchemaHandler,
    PrivateAttr,
    SerializerFunctionWrapHandler,
    ValidationError,
    ValidationInfo,
    model_serializer,
    model_validator,
)
from pydantic_core import PydanticCustomError, core_schema

from tidymargin.core.base.errors import UnreadableStepError

WRITTEN = {"written": True}
"""The context in which JSON is read that was written some time ago: what has no version is of the first."""

_STORED = {**WRITTEN, "stored": True}
_OTHER_VERSION = "It was saved by another version of Tidy Margin; use that one for it."


class AtMost:
    """Bounds a list where it comes in; what was stored before there were bounds is still read, and may get shorter.

    Parameters
    ----------
    count : int
        Things that the list may have.
    """

    def __init__(self, count: int) -> None:
        self.count = count

    def _check(self, value: tuple[Any, ...], info: ValidationInfo) -> tuple[Any, ...]:
        context = info.context or {}
        if len(value) <= self.count or context.get("stored"):
            return value
        before = getattr(context.get("before"), info.field_name or "", ())
        if len(value) <= len(before) or value in before:
            return value
        raise PydanticCustomError(
            "too_many",
            "should have at most {most} entries, got {got}",
            {"most": self.count, "got": len(value)},
        )

    def __get_pydantic_core_schema__(
        self, source: Any, handler: GetCoreSchemaHandler
    ) -> core_schema.CoreSchema:
        """Look at the length once the list itself is read."""
        return core_schema.with_info_after_validator_function(self._check, handler(source))

    def __get_pydantic_json_schema__(
        self, schema: core_schema.CoreSchema, handler: GetJsonSchemaHandler
    ) -> dict[str, Any]:
        """Say the bound in the schema."""
        return {**handler(schema), "maxItems": self.count}


class Step(BaseModel):
    """One of the seven steps; unknown fields are refused."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    VERSION: ClassVar[int] = 1
    UPGRADES: ClassVar[dict[int, Callable[[dict[str, Any]], dict[str, Any]]]] = {}
    """By version, what makes the JSON of the next one of it; both without the version itself."""

    _stored: str = PrivateAttr("")

    @classmethod
    def read(cls, text: str, parts: Mapping[str, str] | None = None) -> Self:
        """Return a step as it was stored; it keeps the name that it was stored under.

        Parameters
        ----------
        text : str
            Its JSON.
        parts : mapping of str to str, optional
            What was stored on its own and is only named in it, by its hash.

        Raises
        ------
        UnreadableStepError
            It is of a newer version, or holds what no version has had.
        """
        try:
            step = cls.model_validate_json(text, context={**_STORED, "parts": parts or {}})
        except ValidationError as error:
            raise UnreadableStepError(
                f"The step “{cls.title()}” of this state holds what this Tidy Margin cannot read.",
                hint=_OTHER_VERSION,
            ) from error
        step._stored = text
        return step

    @classmethod
    def title(cls) -> str:
        """Return what the step is called in a sentence."""
        return re.sub("(?<!^)(?=[A-Z])", " ", cls.__name__.removesuffix("Step")).lower()

    @model_validator(mode="before")
    @classmethod
    def _bring_up(cls, body: Any, info: ValidationInfo) -> Any:
        """Bring what an older version wrote to the present one."""
        if not isinstance(body, dict):
            return body
        body = dict(body)
        version = body.pop("version", 1 if (info.context or {}).get("written") else cls.VERSION)
        if version not in range(1, cls.VERSION + 1):
            raise UnreadableStepError(
                f"The step “{cls.title()}” is of version {version!s:.20}; this Tidy Margin reads up to {cls.VERSION}.",
                hint=_OTHER_VERSION,
            )
        for older in range(version, cls.VERSION):
            body = cls.UPGRADES[older](body)
        return body

    @model_serializer(mode="wrap")
    def _with_version(self, handler: SerializerFunctionWrapHandler) -> dict[str, Any]:
        body: dict[str, Any] = handler(self)
        return body if self.VERSION == 1 else {"version": self.VERSION, **body}

    def __eq__(self, other: object) -> bool:
        """Whether the same was decided, however it was stored."""
        return type(self) is type(other) and self.__dict__ == other.__dict__

    def __hash__(self) -> int:
        """Return a hash of what was decided."""
        return hash((type(self), *self.__dict__.values()))

    def to_json(self) -> str:
        """Return the step as it was stored, or else as canonical JSON: keys sorted, no spaces."""
        return self._stored or json.dumps(
            self.model_dump(mode="json"), sort_keys=True, separators=(",", ":")
        )

    @property
    def parts(self) -> dict[str, str]:
        """What of it is stored on its own, by its hash."""
        return {}

    @property
    def name(self) -> str:
        """The hash that the step is stored under."""
        return name_of_step(self.to_json())


def name_of_step(text: str) -> str:
    """Return the hash that a step's text is stored under."""
    return hashlib.sha256(text.encode()).hexdigest()
