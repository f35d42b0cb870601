"""What is said between the runner and an encoder child: jobs in, reports out, as JSON.

A job is complete in itself: whoever has the media can do it, and does it the
same way.  Rates and seconds that must be exact are fractions as text.
"""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter


class Message(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class SpanJob(Message):
    """``frames`` pictures from ``media`` at ``media_start``; black where media is None."""

    frames: int
    media: str | None
    fingerprint: str = ""
    media_start: int = 0


class EncoderSettings(Message):
    """Everything about the encoder that changes its bits."""

    encoder: str
    options: dict[str, str]
    bits_per_second: int | None = None
    threads: int = 1
    pixel_format: str = "yuv420p"
    key_frame_frames: int = 50
    colour: tuple[int, int, int, int] = (
        2,
        2,
        2,
        1,
    )  # primaries, transfer, matrix, range (ITU-T H.273; 1 is limited)


class PieceJob(Message):
    """Encode a run of pictures to a closed stream of its own."""

    kind: Literal["piece"] = "piece"
    name: str
    target: str
    rate: str
    width: int
    height: int
    spans: tuple[SpanJob, ...]
    settings: EncoderSettings

    @property
    def frames(self) -> int:
        return sum(span.frames for span in self.spans)


class SoundSpanJob(Message):
    """Sound from ``media``, in samples of the output at its sampling rate; media_start in seconds."""

    start_sample: int
    samples: int
    media: str
    fingerprint: str = ""
    media_start: str = "0"


class SoundJob(Message):
    """Render an output's sound whole."""

    kind: Literal["sound"] = "sound"
    name: str
    target: str
    samples: int
    sample_rate: int
    channels: int
    codec: str
    bits_per_second: int
    spans: tuple[SoundSpanJob, ...]


class JoinJob(Message):
    """Join pieces and sound to one file, without encoding anything."""

    kind: Literal["join"] = "join"
    name: str
    target: str
    container: str
    rate: str
    pieces: tuple[tuple[str, int], ...]
    sound: str | None
    title: str = ""


class CheckJob(Message):
    """Prove a finished file.  ``expected`` are the fields of model.check.Expected."""

    kind: Literal["check"] = "check"
    name: str
    target: str
    expected: dict[str, Any]


Job = Annotated[PieceJob | SoundJob | JoinJob | CheckJob, Field(discriminator="kind")]
read_job: TypeAdapter[Job] = TypeAdapter(Job)
