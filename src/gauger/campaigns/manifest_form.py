"""The form of a hand-off's manifest, part by part; docs/manifest.schema.json is made from it."""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, WithJsonSchema

Customers = Annotated[int, Field(ge=0)]
"""A number of customers."""
Settings = Annotated[dict[str, object], WithJsonSchema({"type": "object"})]
"""What was asked for; each of its values is told elsewhere."""
Share = Annotated[float, Field(ge=0.0, le=1.0)]
"""A share of one."""


class _Part(BaseModel):
    """One part; what a later version adds to it is let in."""

    model_config = ConfigDict(strict=True)


class FilePart(_Part):
    """One file of the hand-off."""

    name: str = Field(description="The file, beside the manifest.")
    rows: Customers | None = Field(default=None, description="How many rows it has.")
    columns: list[str] | None = Field(default=None, description="Its columns.")
    sha256: str | None = Field(description="The SHA-256 of its bytes; none of the manifest's own page.")


class HoldoutPart(_Part):
    """One segment that is contacted, and what its holdout can show."""

    segment: int = Field(description="The segment's number.")
    name: str = Field(description="Its name.")
    contacted: Customers = Field(description="How many are contacted.")
    holdout: Customers = Field(description="How many are held out.")
    smallest_uplift: float | None = Field(
        default=None, description="The smallest uplift that the holdout can show, as a share; none where it shows none."
    )


class WaterfallPart(_Part):
    """On which step everyone left."""

    steps: list[str] = Field(description="The steps, in their order: from everyone to the contacted.")
    customers: dict[str, dict[str, Customers]] = Field(
        description="Customers by segment (a number, unassigned, or all) and by step; each row adds up."
    )


class PowerPart(_Part):
    """What the smallest uplifts rest on."""

    power: Share = Field(description="The chance to find an uplift of that size.")
    level: Share = Field(description="The chance to find one where there is none.")
    base_rate: Share = Field(description="The response that is expected without the campaign.")


class ManifestForm(_Part):
    """The account of a hand-off; it holds no key of a customer and no address."""

    format: Literal["gauger hand-off"] = Field(description="What the file is.")
    version: Literal[1] = Field(description="The version of its form.")
    campaign: str = Field(description="The campaign; it decides who is held out.")
    made_at: str | None = Field(default=None, description="When, in ISO 8601.")
    made_by: str | None = Field(default=None, description="By which version of Gauger.")
    model: str | None = Field(default=None, description="The fingerprint of the model that assigned, if one did.")
    key: str = Field(description="The column that identifies a customer.")
    segments: dict[str, str] = Field(
        default_factory=dict, description="The names of the segments that go in, by number."
    )
    settings: Settings = Field(default_factory=dict, description="What was asked for, as `hand_off` takes it.")
    waterfall: WaterfallPart | None = Field(default=None, description="On which step everyone left.")
    holdouts: list[HoldoutPart] = Field(description="A row a segment that is contacted.")
    power: PowerPart | None = Field(default=None, description="What the smallest uplifts rest on.")
    rules: dict[str, str] = Field(default_factory=dict, description="How duplicates and matches were told, in words.")
    without_usable_address: dict[str, Customers] = Field(
        default_factory=dict, description="How many of the contacted a file of hashes lacks, by kind of address."
    )
    files: list[FilePart] = Field(description="What was written.")
