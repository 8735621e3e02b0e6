"""How a job stands, as the page is told."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from aurelon.runs.jobs import Job, State


class JobState(BaseModel):
    """How a job stands: its share done (0..1), the time left in seconds, why it failed, and the file that it made."""

    model_config = ConfigDict(from_attributes=True)

    id: str
    state: State
    share: float
    seconds_left: float | None
    error: str | None
    file_name: str | None
    size: int


def state_of(job: Job) -> JobState:
    return JobState.model_validate(job)
