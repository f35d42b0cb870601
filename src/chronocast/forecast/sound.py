"""Bits and bytes of sound."""

from __future__ import annotations

from chronocast.model.recipe.formats.codec import SoundCodec


def sound_bits(
    codec: SoundCodec, *, sample_rate: int, channels: float, depth: int, bits_per_second: float
) -> float:
    """Bit/s of one track of sound: what is asked for, or of a codec that loses nothing its share of PCM.

    Parameters
    ----------
    codec
        Its row.
    sample_rate
        Hz.
    channels
        How many.
    depth
        Bits a sample; 0 for a codec with a rate.
    bits_per_second
        What is asked of a codec with a rate.
    """
    return sample_rate * channels * depth * codec.share if depth else float(bits_per_second)


def sound_bytes(seconds: float, bits_per_second: float) -> float:
    """Bytes of one track of sound at its rate."""
    return seconds * bits_per_second / 8
