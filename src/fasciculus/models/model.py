"""The base of all models."""

from pydantic import BaseModel, ConfigDict


class Model(BaseModel):
    """A record of the interface. What checks it is built when it is first used: a command of the
    command line needs a few of them, not all. Settings of kinds, which every worker needs, are
    built at once: by the process that workers are forked from.
    """

    model_config = ConfigDict(defer_build=True)
