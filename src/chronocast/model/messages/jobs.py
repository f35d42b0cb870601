"""What is said between the runner and an encoder child: jobs in, reports out, as JSON.

A job is complete in itself: whoever has the media can do it, and does it the
same way.  Rates and seconds that must be exact are fractions as text.
"""

from __future__ import annotations

from fractions import Fraction
from typing import Annotated, Any, Literal

from pydantic import Field, TypeAdapter

from chronocast.model.frozen import FrozenModel
from chronocast.model.paths import FilePath
from chronocast.model.picture.colour import Colour
from chronocast.model.picture.geometry import View
from chronocast.model.recipe.formats.layouts import USUAL
from chronocast.model.source.cutlist import MediaRef, PictureSpan, SoundSpan
from chronocast.model.stages import STAGES, StageKind


class EncoderSettings(FrozenModel):
    """Everything about the encoder that changes its bits.

    Pictures are composed in ``working`` (the encoder's own format where it says nothing);
    ``fields`` is which field of an interlaced picture comes first; they are woven of the pictures of
    twice as many moments, unless ``own_fields`` says that the source's come as they are.  ``piece`` is
    the kind of file a piece is kept in, ``tag`` its FourCC where the codec has several.
    """

    encoder: str
    options: dict[str, str]
    bits_per_second: int | None = None
    threads: int = 1
    pixel_format: str = "yuv420p"
    working: str = ""
    fields: Literal["", "top", "bottom"] = ""
    own_fields: bool = False
    piece: Literal["mp4", "mov", "nut"] = "mp4"
    tag: str = ""
    key_frame_frames: int = 50
    colour: Colour = (2, 2, 2, 1)  # what the stream is tagged with

    @property
    def woven(self) -> bool:
        """Whether each frame is woven of two moments."""
        return bool(self.fields) and not self.own_fields


class PieceJob(FrozenModel):
    """Make a run of pictures a closed stream of its own: encode it, or copy the source's packets (``kind`` *copy*).

    A *base* is composed and written without loss, for pieces of one or several outputs to be encoded from: of
    such a piece ``base`` is its file and ``base_digest`` that of its pictures; they are the piece's, bit by bit.

    What is copied can be encoded as well: whoever finds that its packets can't be had does that, and says why.

    ``canvas`` is the frame the spans' layers lie in, ``view`` how it becomes
    width × height of pixels of aspect ``shape``; ``colour`` is what the
    pictures are composed in.  With ``accept_damage`` damaged pictures are
    taken as they come; else the job fails and says where they are.  Every
    ``measure_every`` th picture is decoded again and compared; 0 for none.  With ``digested`` a digest is made of
    what it decodes to: copied pictures will stand beside it, and each must still decode as by itself.
    ``kernel`` is what pictures are scaled with, "" for the usual one.
    ``sets_moved`` is added to the numbers of copied parameter sets: another film's have their own.
    """

    kind: Literal["encode", "copy", "base"] = "encode"
    name: str
    target: FilePath
    rate: Fraction
    width: int
    height: int
    canvas: tuple[int, int]
    view: View = View()
    colour: Colour = (1, 1, 1, 1)
    spans: tuple[PictureSpan, ...]
    settings: EncoderSettings
    shape: Fraction = Fraction(1)
    kernel: str = ""
    accept_damage: bool = False
    measure_every: int = 0
    digested: bool = False
    sets_moved: int = 0
    base: FilePath = ""
    base_digest: str = ""

    @property
    def copied(self) -> bool:
        """Whether the source's packets are copied as they are."""
        return self.kind == "copy"

    @property
    def stage(self) -> StageKind:
        """The kind of work it is."""
        return STAGES[self.kind]

    @property
    def moments(self) -> int:
        """Pictures that are composed: two for each frame that is woven of fields."""
        return sum(span.frames for span in self.spans)

    @property
    def frames(self) -> int:
        """Frames that are encoded."""
        return self.moments // 2 if self.settings.woven else self.moments

    @property
    def media(self) -> tuple[MediaRef, ...]:
        """Every file it shows, once each."""
        return tuple(
            dict.fromkeys(layer.media for span in self.spans for layer in span.layers if layer.media)
        )


def pair_beside(target: str) -> str:
    """Where a piece's picture beside its original is written, for as long as the piece has no name of its own.

    Parameters
    ----------
    target
        The piece's file.
    """
    return target + ".jpg"


MEASURED = 6
"""So many pictures of a piece are looked at: they are kept until it is encoded."""


def measured_every(frames: int) -> int:
    """Of how many pictures one is decoded again and compared, in a piece of so many."""
    return max(1, -(-frames // MEASURED))


class SoundJob(FrozenModel):
    """Render an output's sound whole: ``samples`` at ``sample_rate``; overlapping spans are mixed.

    ``tracks``, where there are any, are rendered as tracks of their own instead of ``spans``.
    ``layouts`` are the tracks' own, by the libraries' names, where they differ from what ``channels`` says.
    ``depth`` is in bits a sample, of codecs that lose nothing; ``languages`` are of the tracks, in order.
    With ``accept_damage`` what can't be decoded is silence; else the job fails and says where.
    With ``copies`` the source's packets are copied as they are; what can't be is encoded.
    """

    kind: Literal["sound"] = "sound"
    name: str
    target: FilePath
    samples: int
    sample_rate: int
    channels: int
    codec: str
    bits_per_second: int
    spans: tuple[SoundSpan, ...]
    tracks: tuple[tuple[SoundSpan, ...], ...] = ()
    depth: int = 0
    languages: tuple[str, ...] = ()
    layouts: tuple[str, ...] = ()
    accept_damage: bool = False
    copies: bool = False

    def layout_of(self, track: int) -> str:
        """The layout of one track that is made."""
        return self.layouts[track] if track < len(self.layouts) else USUAL[self.channels]

    @property
    def each_track(self) -> tuple[tuple[SoundSpan, ...], ...]:
        """The spans of each track that is made."""
        return self.tracks or (self.spans,)


class JoinJob(FrozenModel):
    """Join pieces and sound to one file, without encoding anything; *images* to a folder of them.

    ``sums`` are of the files of the pieces and of the sound, in that order, "" where none is known.
    """

    kind: Literal["join"] = "join"
    name: str
    target: FilePath
    container: str
    rate: str
    pieces: tuple[tuple[FilePath, int], ...]
    sound: FilePath | None
    title: str = ""
    codec: str = ""
    stem: str = ""
    colour: Colour | None = None
    languages: tuple[str, ...] = ()
    shape: Fraction = Fraction(1)
    timecode: str = ""
    sums: tuple[str, ...] = ()


class CheckJob(FrozenModel):
    """Prove a finished file.  ``expected`` are the fields of model.check.Expected."""

    kind: Literal["check"] = "check"
    name: str
    target: FilePath
    expected: dict[str, Any]


Job = Annotated[PieceJob | SoundJob | JoinJob | CheckJob, Field(discriminator="kind")]
read_job: TypeAdapter[Job] = TypeAdapter(Job)
