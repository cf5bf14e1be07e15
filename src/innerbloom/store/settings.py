"""Settings of a project, each declared once with its default and range."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy.orm import Session

from innerbloom.store.models import Setting


class ProjectSettings(BaseModel):
    """All settings of a project."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    project: str = Field(default="Untitled project", min_length=1, max_length=80)
    tuning: float = Field(default=440.0, ge=400, le=480, description="Reference pitch A4, Hz.")
    ring_blocks: int = Field(
        default=6, ge=4, le=12, description="Blocks of 256 frames kept ready; more is steadier."
    )
    keep_days: int = Field(
        default=30, ge=1, le=3_650, description="Days after which what can be made again may go."
    )
    keep_gb: float = Field(
        default=12.0, ge=0.1, le=10_000, description="GB that what can be made again may take."
    )
    scheduler: str = Field(
        default="", max_length=200, pattern=r"^((tcp|tls|ws|wss)://\S+)?$",
        description="Address of a Dask scheduler whose workers do batches; empty for this machine.",
    )  # fmt: skip


def read_settings(db: Session) -> ProjectSettings:
    """The stored settings, defaults for the rest."""
    row = db.get(Setting, "project")
    return ProjectSettings.model_validate(row.value) if row else ProjectSettings()


def write_settings(db: Session, settings: ProjectSettings) -> None:
    db.merge(Setting(key="project", value=settings.model_dump()))
    db.commit()
