"""What a batch is asked to keep (a size for each file, a time, a line), and whether it does."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import NamedTuple

import numpy as np

from chronocast.forecast.band import Band, Draws, band
from chronocast.forecast.inverse import chance_of, send_seconds
from chronocast.forecast.picture.quality import LookBand
from chronocast.forecast.room import Room
from chronocast.forecast.sending import sent_across
from chronocast.model.answers import Answer
from chronocast.model.batch.batch import Batch
from chronocast.model.show import clock_text, counted, db_text, percent, rate_bits_text, size_text, time_text
from chronocast.preparation.asked.backwards import (
    Circumstances,
    DeadlineAnswer,
    RateAnswer,
    can_be_rated,
    in_time,
    rate_for_size,
)
from chronocast.preparation.forecast.outlook import Outlook
from chronocast.preparation.forecast.output_outlook import poorest_shot
from chronocast.preparation.output.output_ready import Prospect

MOST_NAMED = 12
"""So many files that may be too large are told one by one, with the rate that would do."""


class TooLarge(NamedTuple):
    """An output that may not keep the size limit, and the rate that would; None where it takes none."""

    output: str
    name: str
    bytes: Band
    rate: RateAnswer | None


class TooPoor(NamedTuple):
    """An output whose poorest shots may not keep the floor of quality, and where the poorest begins."""

    output: str
    name: str
    worst: LookBand
    at: str


@dataclass(frozen=True)
class Asked:
    """The answers to what a batch is asked to keep.

    Parameters
    ----------
    limit
        Bytes of each file; None where nothing is asked.
    too_large
        Outputs whose safe size doesn't keep it.
    largest
        The largest safe size of all.
    line
        Bit/s of the line files are sent by; None where none is named.
    sending
        Seconds that all of them take across it.
    sent
        Seconds from now until all are across it, each sent as soon as it is proved and the line is free.
    at
        The moment that ``sent`` counts from.
    deadline
        Whether all is finished in time; None where no time is named.
    across
        How likely all is finished and across the line in time, from 0 to 1; None where either isn't named.
    receiver
        Whether the receiver has room; None where its space isn't named.
    floor
        XPSNR in dB that the poorest shots should keep; None where nothing is asked.
    poorer
        Outputs that may not keep it.
    """

    limit: float | None = None
    too_large: tuple[TooLarge, ...] = ()
    largest: float = 0.0
    line: float | None = None
    sending: Band | None = None
    sent: Band | None = None
    at: datetime | None = None
    deadline: DeadlineAnswer | None = None
    across: float | None = None
    receiver: Room | None = None
    floor: float | None = None
    poorer: tuple[TooPoor, ...] = ()

    @property
    def lines(self) -> list[str]:
        """The answers as sentences."""
        told = []
        if self.limit is not None:
            if self.too_large:
                told.append(
                    f"{counted(len(self.too_large), 'file')} may be larger than {size_text(self.limit)}:"
                )
                for item in self.too_large[:MOST_NAMED]:
                    rate = (
                        item.rate.told if item.rate else "its recipe asks for no rate; choose one that does"
                    )
                    told.append(f"  {item.name}: safe {size_text(item.bytes.safe)}. {rate}")
                if more := len(self.too_large) - MOST_NAMED:
                    told += [f"  and {more} more"] if more > 0 else []
            else:
                room = self.limit - self.largest
                told.append(f"every file keeps {size_text(self.limit)}, {size_text(room)} to spare")
        if self.deadline is not None:
            told.append(f"wanted {clock_text(self.deadline.wanted.astimezone())}: {self.deadline.told}")
            for remedy in self.deadline.remedies if self.deadline.chance < 0.9 else ():
                gain = self.deadline.finish.likely - remedy.finish.likely
                told.append(f"  {remedy.words}: −{time_text(gain)}, in time {percent(remedy.chance)}")
        if self.line and self.sending:
            told.append(
                f"across {rate_bits_text(self.line)} in {time_text(self.sending.likely)}, "
                f"safe {time_text(self.sending.safe)}{self._sent_told}"
                + (
                    f"; there in time: {self.across:.0%}".replace("%", " %")
                    if self.across is not None
                    else ""
                )
            )
        if self.receiver is not None:
            told.append(self._receiver)
        if self.floor is not None and not self.poorer:
            told.append(f"every file's poorest shot keeps {db_text(self.floor)}")
        if self.floor is not None and self.poorer:
            told.append(f"{counted(len(self.poorer), 'file')} may look poorer than {db_text(self.floor)}:")
            told += [
                f"  {item.name}: poorest shot {db_text(item.worst.likely)}, safe {db_text(item.worst.safe)}, at {item.at}"
                for item in self.poorer[:MOST_NAMED]
            ]
        return told

    @property
    def _sent_told(self) -> str:
        """When all are there, sent as they are proved; "" where no line is named."""
        if self.sent is None or self.at is None:
            return ""
        likely, safe = (self.at + timedelta(seconds=value) for value in (self.sent.likely, self.sent.safe))
        return f"; sent as they are proved, all are there {clock_text(likely)}, safe by {clock_text(safe)}"

    @property
    def _receiver(self) -> str:
        assert self.receiver is not None
        fit = {"fits": "they fit", "tight": "they fit if all goes as is likely"}.get(
            self.receiver.fit, "that is too little"
        )
        return (
            f"the receiver has {size_text(self.receiver.free)} free, all files take "
            f"{size_text(self.receiver.needs.likely)}, safe {size_text(self.receiver.needs.safe)}: {fit}"
        )

    @property
    def short(self) -> list[str]:
        """The answers in a line each."""
        told = []
        if self.limit is not None:
            rates = [item.rate.bits for item in self.too_large if item.rate and item.rate.bits]
            with_rate = f": {rate_bits_text(min(rates))} keeps it" if rates else ""
            told.append(
                f"{counted(len(self.too_large), 'file')} may be over {size_text(self.limit)}{with_rate}"
                if self.too_large
                else f"every file keeps {size_text(self.limit)}, {size_text(self.limit - self.largest)} to spare"
            )
        if self.deadline is not None:
            told.append(self.deadline.told)
        if self.line and self.sending:
            there = f", there in time: {percent(self.across)}" if self.across is not None else ""
            when = (
                f", all there {clock_text(self.at + timedelta(seconds=self.sent.likely))}"
                if self.sent and self.at
                else ""
            )
            told.append(f"across the line in {time_text(self.sending.likely)}{when}{there}")
        if self.receiver is not None:
            fit = {"fits": "has room", "tight": "has just room"}.get(self.receiver.fit, "has too little room")
            told.append(f"the receiver {fit}: safe {size_text(self.receiver.needs.safe)}")
        if self.floor is not None:
            told.append(
                f"{counted(len(self.poorer), 'file')} may look poorer than {db_text(self.floor)}"
                if self.poorer
                else f"every poorest shot keeps {db_text(self.floor)}"
            )
        return told

    def as_json(self) -> Answer:
        """As the command line answers it."""
        found: Answer = {}
        if self.limit is not None:
            found["limit"] = {
                "bytes": round(self.limit),
                "kept": not self.too_large,
                "too_large": [
                    {
                        "output": item.output,
                        "bytes": {"likely": round(item.bytes.likely), "safe": round(item.bytes.safe)},
                        "bits_per_second": round(item.rate.bits) if item.rate and item.rate.bits else None,
                    }
                    for item in self.too_large
                ],
            }
        if self.line and self.sending:
            found["line"] = {
                "bits_per_second": round(self.line),
                "seconds": self.sending.as_json(),
                "all_sent": self.sent.as_json() if self.sent else None,
                "in_time": None if self.across is None else round(self.across, 3),
            }
        if self.floor is not None:
            found["looks"] = {
                "floor": self.floor,
                "poorer": [
                    {"output": item.output, "worst": item.worst.as_json(), "at": item.at}
                    for item in self.poorer
                ],
            }
        if self.receiver is not None:
            found["receiver"] = {
                "bytes": self.receiver.free,
                "needs": {key: round(value) for key, value in self.receiver.needs.as_json().items()},
                "fit": self.receiver.fit,
            }
        if self.deadline is not None:
            found["wanted"] = {
                "at": self.deadline.wanted.isoformat(timespec="seconds"),
                "in_time": round(self.deadline.chance, 3),
                "remedies": [
                    {
                        "words": remedy.words,
                        "values": remedy.values,
                        "seconds": remedy.finish.as_json(),
                        "in_time": round(remedy.chance, 3),
                    }
                    for remedy in self.deadline.remedies
                ],
            }
        return found


def asked_of(batch: Batch, prospect: Prospect, view: Outlook, now: Circumstances) -> Asked:
    """Whether a batch keeps what it is asked to keep, and what would help.

    Parameters
    ----------
    batch
        The batch: its size limit, its line, its time.
    prospect
        The batch made ready.
    view
        Its forecast.
    now
        What the forecast rests on.
    """
    sent = _sent(batch, view)
    return Asked(
        limit=batch.size_limit,
        too_large=_too_large(batch.size_limit, prospect, view, now),
        largest=max((item.bytes.safe for item in view.outputs), default=0.0),
        line=batch.line,
        sending=band(send_seconds(view.draws.bytes, batch.line)) if batch.line and view.outputs else None,
        sent=band(sent) if sent is not None else None,
        at=view.at,
        deadline=_deadline(batch, view, now),
        across=_across(batch, view, sent),
        receiver=Room("the receiver", batch.receiver_space, view.bytes) if batch.receiver_space else None,
        floor=batch.look_floor,
        poorer=_poorer(batch.look_floor, view),
    )


def _poorer(floor: float | None, view: Outlook) -> tuple[TooPoor, ...]:
    if floor is None:
        return ()
    return tuple(
        TooPoor(item.ready.output.id, item.ready.path.name, item.looks.worst, poorest_shot(item))
        for item in view.outputs
        if item.looks is not None and item.looks.worst.safe < floor
    )


def _too_large(
    limit: float | None, prospect: Prospect, view: Outlook, now: Circumstances
) -> tuple[TooLarge, ...]:
    if limit is None:
        return ()
    found: list[TooLarge] = []
    for item in view.outputs:
        if item.bytes.safe <= limit:
            continue
        ready = prospect.output(item.ready.output.id)
        rate = (
            rate_for_size(ready, limit, now)
            if ready and can_be_rated(ready.recipe) and not item.made and len(found) < MOST_NAMED
            else None
        )
        found.append(TooLarge(item.ready.output.id, item.ready.path.name, item.bytes, rate))
    return tuple(found)


def _deadline(batch: Batch, view: Outlook, now: Circumstances) -> DeadlineAnswer | None:
    if batch.wanted is None:
        return None
    wanted = batch.wanted if batch.wanted.tzinfo else batch.wanted.replace(tzinfo=view.at.tzinfo)
    return in_time(view, batch, wanted, now)


def _sent(batch: Batch, view: Outlook) -> Draws | None:
    """Seconds from now until all is across the batch's line, shape (draws,); of a line that the forecast didn't know, too."""
    if not batch.line or not view.outputs or view.line == batch.line:
        return view.draws.sent if batch.line else None
    ends = {finish.output: finish.end for finish in view.placement.finishes}
    files = [
        (ends[item.ready.output.id], item.draws[1])
        for item in view.outputs
        if item.draws is not None and item.ready.output.id in ends
    ]
    proved, sizes = (np.array(column, float) for column in zip(*files, strict=True))
    last: Draws = sent_across(proved, sizes, batch.line).max(axis=0)
    return last


def _across(batch: Batch, view: Outlook, sent: Draws | None) -> float | None:
    if batch.wanted is None or sent is None:
        return None
    wanted = batch.wanted if batch.wanted.tzinfo else batch.wanted.replace(tzinfo=view.at.tzinfo)
    return chance_of(sent, (wanted - view.at).total_seconds())
