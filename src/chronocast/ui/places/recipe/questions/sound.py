"""*What is heard?*: codec, layout, tracks and languages."""

from __future__ import annotations

from chronocast.model.recipe.formats.codecs import SOUND
from chronocast.model.recipe.formats.containers import CONTAINERS
from chronocast.model.show import rate_bits_text
from chronocast.ui.places.recipe.settings import (
    Group,
    SettingMaker,
)


def sound_group(make: SettingMaker) -> Group:
    """What is heard."""
    sound = make.first.sound
    assert sound is not None
    codec, box = SOUND[sound.codec], CONTAINERS[make.first.container]
    why = {
        item.name: f"{box.name} doesn't hold {item.name}"
        for item in SOUND.values()
        if item.id not in box.sound
    }
    found = [
        make.choices(
            "sound.codec",
            "Codec",
            f"{codec.name}: {codec.use}.",
            options=[(item.name, {"sound.codec": item.id}) for item in SOUND.values()],
            why=why,
        )
    ]
    if codec.lossless:
        found.append(
            make.choices(
                "sound.depth",
                "Depth",
                "16 bits are enough to listen to, 24 to go on working.",
                options=[
                    ("as the source", {"sound.depth": "source"}),
                    ("16 bit", {"sound.depth": 16}),
                    ("24 bit", {"sound.depth": 24}),
                ],
            )
        )
    else:
        low, high, usual = codec.bits
        found.append(
            make.line(
                "sound.bits_per_second",
                "Rate",
                f"A track. {usual // 1000} kb/s is usual; {low // 1000} to {high // 1000} can be had.",
                "bits",
                rate_bits_text,
            )
        )
    found.append(
        make.choices(
            "sound.layout",
            "Layout",
            "5.1 becomes stereo with its centre and surrounds mixed in; mono is stereo folded.",
            options=[
                ("as the source", {"sound.layout": "source"}),
                *((name, {"sound.layout": name}) for name in ("mono", "stereo", "5.1")),
            ],
        )
    )
    found.append(
        make.choices(
            "sound.tracks",
            "Tracks",
            "One: a sequence's tracks as they are heard together, a clip's first or chosen track. Each keeps them all.",
            options=[("one", {"sound.tracks": "mixed"}), ("each as it is", {"sound.tracks": "each"})],
            why={"each as it is": f"{box.name} holds one sound track"} if box.most_tracks == 1 else None,
            weighed=False,
        )
    )
    rates = {
        f"{rate:,} Hz": f"{codec.name} works at {codec.rates[0]:,} Hz only"
        for rate in (44100, 48000)
        if rate not in codec.rates
    }
    found.append(
        make.choices(
            "sound.sample_rate",
            "Sampling rate",
            "48,000 Hz is usual with pictures.",
            options=[
                ("as the source", {"sound.sample_rate": "source"}),
                *((f"{rate:,} Hz", {"sound.sample_rate": rate}) for rate in (44100, 48000)),
            ],
            why=rates,
            weighed=False,
        )
    )
    found.append(
        make.line(
            "sound.choose",
            "Only tracks",
            "Some of a source's sound tracks, by language or number: deu, 2. Empty takes what is usual; what is left out is listed.",
            "languages",
            lambda v: ", ".join(v),
        )
    )
    found.append(
        make.line(
            "sound.languages",
            "Languages",
            "One a track, three letters each: deu, eng. Empty keeps the source's.",
            "languages",
            lambda v: ", ".join(v),
        )
    )
    return Group("What is heard?", tuple(found))
