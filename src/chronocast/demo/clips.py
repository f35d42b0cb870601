"""The demo's clips: what each shows and how it is written, from easy to awkward."""

from __future__ import annotations

from fractions import Fraction

from chronocast.demo import scenes, views
from chronocast.demo.scenes import Scene
from chronocast.media.files.footage import Format
from chronocast.model.picture.colour import BT601_625

RATE = Fraction(25)

UNEVEN = tuple(n * 33 + n // 4 * 7 + (260 if n >= 140 else 0) + (n % 5) * 3 for n in range(240))
"""Times of a phone's pictures, in 1/1000 s: about thirty a second, never quite, and once a pause."""

SCENES: tuple[Scene, ...] = (
    Scene(1, "still-water.mp4", "Still water, long take", 1280, 720, 250, 24, 110.0, scenes.still_water),
    Scene(2, "plankton.mp4", "Plankton column", 640, 360, 240, 30, 146.8, scenes.plankton),
    Scene(3, "reef-pan.mp4", "Reef, fast pan", 640, 360, 200, 27, 164.8, scenes.reef_pan),
    Scene(4, "feeding-hour.mp4", "Feeding hour", 1280, 720, 250, 25, 196.0, scenes.feeding_hour),
    Scene(5, "jelly-drift.mp4", "Jelly drift", 1280, 720, 250, 24, 220.0, scenes.jelly_drift),
    Scene(
        6,
        "kelp-forest.mp4",
        "Kelp forest",
        960,
        540,
        250,
        28,
        130.8,
        views.kelp_forest,
        Format(
            codec="libx265",
            options={"preset": "medium", "x265-params": "keyint=50:open-gop=1:log-level=none"},
        ),
    ),
    Scene(
        7,
        "tank-service.mxf",
        "Tank service, tape transfer",
        720,
        576,
        150,
        0,
        174.6,
        views.tank_service,
        Format(
            codec="mpeg2video",
            bit_rate=3_000_000,
            options={
                "flags": "+ildct+ilme",
                "g": "12",
                "bf": "2",
                "maxrate": "5000000",
                "bufsize": "2000000",
            },
            colour=BT601_625,
            pixel_aspect=Fraction(64, 45),
            interlaced=True,
            timecode="01:00:00:00",
            sound_codec="pcm_s16le",
        ),
    ),
    Scene(
        8,
        "seal-master.mov",
        "Seals, mezzanine",
        640,
        360,
        100,
        0,
        98.0,
        views.seals,
        Format(
            codec="prores_ks",
            pixel_format="yuv422p10le",
            options={"profile": "0"},
            timecode="10:00:00:00",
            sound_codec="pcm_s24le",
        ),
    ),
    Scene(
        9,
        "visitor-phone.mp4",
        "Visitor's phone, upright",
        406,
        720,
        240,
        27,
        246.9,
        views.visitor,
        Format(times=UNEVEN),
        channels=1,
        rate=Fraction(30),
    ),
    Scene(
        10,
        "old-reel.mp4",
        "Old reel, grain",
        640,
        480,
        200,
        30,
        123.5,
        views.old_reel,
        channels=2,
        sample_rate=44100,
    ),
    Scene(11, "night-tank.mp4", "Night tank", 1280, 720, 250, 24, 0.0, views.night_tank, channels=0),
    Scene(12, "storm-light.mp4", "Storm light", 640, 360, 200, 27, 92.5, views.storm_light),
    Scene(13, "cards.mp4", "Text cards", 1280, 720, 250, 24, 0.0, views.cards, channels=0),
)
