"""The base of all models."""

from pydantic import BaseModel, ConfigDict


class Model(BaseModel):
    """A record of the interface. What checks it is built when it is first used: a command of the
    command line needs a few of them, not all.
    """

    model_config = ConfigDict(defer_build=True)
