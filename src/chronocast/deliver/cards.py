"""Receiver cards on finished files: what was found, offered to the card."""

from __future__ import annotations

from collections.abc import Iterable

from chronocast.media.files.prove import Found
from chronocast.model.cards.card import ReceiverCard
from chronocast.model.cards.fits import Amount, Offer, headroom, judge
from chronocast.model.messages.check import Check, Expected
from chronocast.model.recipe.formats.codecs import PICTURE
from chronocast.model.recipe.formats.layouts import USUAL
from chronocast.model.recipe.formats.level_codes import level_name

_OURS = {codec.stream_name: codec.id for codec in PICTURE.values()}
_SOUNDS = {"pcm_s16le": "pcm", "pcm_s24le": "pcm", "pcm_s16be": "pcm", "pcm_s24be": "pcm"}


def needs_luma(cards: Iterable[ReceiverCard]) -> bool:
    """Whether any of the cards wants the brightness looked at."""
    return any(card.limits.legal_range for card in cards)


def needs_loudness(cards: Iterable[ReceiverCard]) -> bool:
    """Whether any of the cards wants loudness or true peak measured."""
    return any(card.limits.loudness is not None or card.limits.true_peak_most is not None for card in cards)


def offer_of(found: Found, expected: Expected, name: str, container: str) -> Offer:
    """What a finished file offers its receiver.  ``container`` is ours, since several share a reader.

    Parameters
    ----------
    found
        What was found in the file.
    expected
        What it must be.
    name
        The file's name.
    container
        Our own word for it, since several share a reader.
    """
    legal = None
    if found.luma is not None:
        bits = 16 if "16" in found.pixel_format else 10 if "10" in found.pixel_format else 8
        legal = found.luma[0] >= 16 << (bits - 8) and found.luma[1] <= 235 << (bits - 8)
    seconds = found.frames / float(found.rate) if found.frames and found.rate else 0.0
    if not found.frames and found.sample_rate:
        seconds = found.said_samples / found.sample_rate
    order = expected.scan if found.fields else "progressive"
    codec = _OURS.get(found.video_codec, found.video_codec) or None
    return Offer(
        name,
        container,
        seconds,
        Amount(found.bytes, found.bytes, found.bytes),
        codec,
        expected.profile or None,
        found.width,
        found.height,
        found.rate,
        order,
        expected.peak or None,
        expected.buffer or None,
        level_name(found.video_codec, found.level),
        _SOUNDS.get(found.sound_codec or "", found.sound_codec),
        USUAL.get(found.channels),
        found.sample_rate or None,
        found.loudness,
        found.true_peak,
        legal,
    )


def card_checks(found: Found, expected: Expected, name: str) -> list[Check]:
    """Every requirement of every card, as checks.

    Parameters
    ----------
    found
        What was found in the file.
    expected
        What it must be.
    name
        The file's name.
    """
    checks = []
    for told in expected.cards:
        card = ReceiverCard.model_validate(told)
        for verdict in judge(card, offer_of(found, expected, name, expected.box)):
            ok = verdict.state in ("fits", "tight")
            have = verdict.have + (f" ({headroom(verdict.use)})" if ok and verdict.use is not None else "")
            checks.append(
                Check(
                    f"{card.name}: {verdict.what}",
                    ok,
                    verdict.wanted,
                    have or "could not be measured",
                    "measured on the finished file",
                )
            )
    return checks
