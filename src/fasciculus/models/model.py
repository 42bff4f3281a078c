"""The base of all models."""

from collections.abc import Mapping
from typing import Any, ClassVar

from pydantic import BaseModel, ConfigDict, model_validator


class Model(BaseModel):
    """A record of the interface. Its validator is built on first use, since a command needs only a
    few models. Settings of kinds, which every worker needs, are built at once: by the process that
    workers are forked from.
    """

    model_config = ConfigDict(defer_build=True)


class RenamedFields(Model):
    """A model that takes fields under the names of the previous version as well.

    ``former_names`` has the present name by each former one. It also reads what an earlier version
    wrote: the history of settings, and copies of its records.
    """

    former_names: ClassVar[Mapping[str, str]] = {}

    @model_validator(mode="before")
    @classmethod
    def _take_former_names(cls, values: Any) -> Any:
        if not isinstance(values, dict) or not cls.former_names.keys() & values.keys():
            return values
        present = {cls.former_names.get(name, name): value for name, value in values.items()}
        # Of two that say the same, the present name counts.
        return {**present, **{k: v for k, v in values.items() if k not in cls.former_names}}
