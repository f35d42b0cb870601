"""Picture and sound codecs, a row each: names, samples, rate controls, profiles, tags, containers, what they take.

Pure data.  How an encoder is told is in ``media/encoders/``, a file each;
whether a recipe agrees with this table is said by ``contradictions.py``.
"""

from __future__ import annotations

from chronocast.model.picture.terms import Scan
from chronocast.model.recipe.formats.codec import (
    Grade,
    PictureCodec,
    QualityScale,
    RateScale,
    Sampling,
    SoundCodec,
    Typical,
)
from chronocast.model.time.timing import Rate

_420 = Sampling(8, "4:2:0", "yuv420p")
_422 = Sampling(8, "4:2:2", "yuv422p")
_444 = Sampling(8, "4:4:4", "yuv444p")
_420_10 = Sampling(10, "4:2:0", "yuv420p10le")
_422_10 = Sampling(10, "4:2:2", "yuv422p10le")
_444_10 = Sampling(10, "4:4:4", "yuv444p10le")
_YUVA = tuple(
    Sampling(depth, f"4:{name[1]}:{name[2]}", f"yuva{name}p{'' if depth == 8 else f'{depth}le'}", alpha=True)
    for depth, names in (
        (8, ("420", "422", "444")),
        (10, ("420", "422", "444")),
        (12, ("422", "444")),
        (16, ("420", "422", "444")),
    )
    for name in names
)
_YUV_DEEP = tuple(
    Sampling(depth, f"4:{name[1]}:{name[2]}", f"yuv{name}p{depth}le")
    for depth in (12, 16)
    for name in ("420", "422", "444")
)
_FFV1_RGB = (
    Sampling(8, "RGB", "bgr0", "gbrp"),
    Sampling(10, "RGB", "gbrp10le"),
    Sampling(12, "RGB", "gbrp12le"),
    Sampling(16, "RGB", "gbrp16le"),
    Sampling(8, "RGB", "bgra", "gbrap", alpha=True),
    Sampling(10, "RGB", "gbrap10le", alpha=True),
    Sampling(12, "RGB", "gbrap12le", alpha=True),
    Sampling(16, "RGB", "gbrap16le", alpha=True),
)
_GRAYS = (Sampling(8, "gray", "gray"), Sampling(10, "gray", "gray10le"), Sampling(16, "gray", "gray16le"))
_FIELDS: tuple[Scan, ...] = ("progressive", "top first", "bottom first")
_444_10_ALPHA = Sampling(10, "4:4:4", "yuva444p10le", alpha=True)
_ARGB = Sampling(8, "RGB", "argb", "yuva444p", alpha=True)
_RGBA = Sampling(8, "RGB", "rgba", "yuva444p", alpha=True)
_RGBA_16 = Sampling(16, "RGB", "rgba64be", "yuva444p16le", alpha=True)
_RGBA_16L = Sampling(16, "RGB", "rgba64le", "yuva444p16le", alpha=True)
_RGBA_FLOAT = Sampling(16, "RGB", "gbrapf32le", "yuva444p16le", alpha=True)
_RGB = Sampling(8, "RGB", "rgb24", "yuv444p")
_RGB_10 = Sampling(10, "RGB", "gbrp10be", "yuv444p10le")
_RGB_16 = Sampling(16, "RGB", "rgb48be", "yuv444p16le")
_RGB_16L = Sampling(16, "RGB", "rgb48le", "yuv444p16le")
_RGB_FLOAT = Sampling(16, "RGB", "gbrpf32le", "yuv444p16le")

_NOT_CONSTANT = {
    "constant": "this encoder holds a constant rate only without looking ahead, which costs too much of the look"
}
_ONE_PASS = {
    "two pass": "one common quality is found only with the H.264 and HEVC encoders, whose scale answers to small steps"
}

MPEG2_RATES = frozenset(
    {
        Rate(24000, 1001),
        Rate(24),
        Rate(25),
        Rate(30000, 1001),
        Rate(30),
        Rate(50),
        Rate(60000, 1001),
        Rate(60),
    }
)
"""ISO/IEC 13818-2, table 6-4."""

PICTURE: dict[str, PictureCodec] = {
    item.id: item
    for item in (
        PictureCodec(
            "h264",
            "H.264",
            use="plays everywhere",
            kind="long",
            encoders=("libx264",),
            hardware=("h264_nvenc", "h264_qsv", "h264_amf", "h264_vaapi", "h264_v4l2m2m", "h264_standin"),
            samplings=(_420, _422, _444, _420_10, _422_10, _444_10),
            modes=("constant", "variable", "two pass", "quality"),
            quality=QualityScale(0, 51, 20),
            scans=("progressive", "top first", "bottom first"),
            profiles=("baseline", "main", "high", "high10", "high422", "high444"),
            peaks=("constant", "variable", "two pass", "quality"),
            containers=("mp4", "mov", "mkv", "ts"),
            typical=Typical(0.055, 20.0, halves=6.0),
            fills_constant=True,
            keeps_peak=True,
            light=True,
            profile_names={
                "baseline": "Baseline",
                "main": "Main",
                "high": "High",
                "high10": "High 10",
                "high422": "High 4:2:2",
                "high444": "High 4:4:4 Predictive",
            },
            profile_of={"4:4:4": "high444", "4:2:2": "high422", "10 bit": "high10", "": "high"},
        ),
        PictureCodec(
            "hevc",
            "HEVC",
            use="about a third smaller than H.264 for the same look, several times slower to make",
            kind="long",
            encoders=("libx265",),
            hardware=("hevc_nvenc", "hevc_qsv", "hevc_amf", "hevc_vaapi", "hevc_v4l2m2m", "hevc_standin"),
            samplings=(_420, _422, _444, _420_10, _422_10, _444_10),
            modes=("constant", "variable", "two pass", "quality"),
            quality=QualityScale(0, 51, 23),
            profiles=("main", "main10", "main422-10", "main444-8", "main444-10"),
            least=(32, 32),
            peaks=("constant", "variable", "two pass", "quality"),
            containers=("mp4", "mov", "mkv", "ts"),
            typical=Typical(0.032, 23.0, halves=6.0),
            keeps_peak=True,
            light=True,
            file_tag="hvc1",
            profile_names={
                "main": "Main",
                "main10": "Main 10",
                "main422-10": "Rext",
                "main444-8": "Rext",
                "main444-10": "Rext",
            },
            profile_of={
                "8 bit 4:2:0": "main",
                "10 bit 4:2:0": "main10",
                "8 bit 4:4:4": "main444-8",
                "10 bit 4:4:4": "main444-10",
                "": "main422-10",
            },
        ),
        PictureCodec(
            "av1",
            "AV1",
            use="smallest for the web; recent players only",
            kind="long",
            encoders=("libsvtav1",),
            hardware=("av1_nvenc", "av1_qsv", "av1_amf"),
            samplings=(_420, _420_10),
            modes=("variable", "quality"),
            quality=QualityScale(1, 63, 30),
            without=_NOT_CONSTANT | _ONE_PASS,
            profiles=("main",),
            least=(64, 64),
            containers=("mp4", "mkv", "webm"),
            typical=Typical(0.028, 30.0, halves=9.0),
            profile_names={"main": "Main"},
            profile_of={"": "main"},
        ),
        PictureCodec(
            "vp9",
            "VP9",
            use="for the web, free of fees, in most browsers",
            kind="long",
            encoders=("libvpx-vp9",),
            samplings=(_420, _422, _444),
            modes=("constant", "variable", "quality"),
            quality=QualityScale(0, 63, 31),
            without=_ONE_PASS,
            profiles=("0", "1"),
            peaks=("constant", "variable"),
            containers=("mp4", "mkv", "webm"),
            typical=Typical(0.032, 31.0, halves=9.0),
            profile_names={"0": "Profile 0", "1": "Profile 1"},
            profile_of={"4:2:0": "0", "": "1"},
        ),
        PictureCodec(
            "mpeg2",
            "MPEG-2",
            use="for broadcast servers and older players; needs two or three times the rate of H.264",
            kind="long",
            encoders=("mpeg2video",),
            samplings=(_420, _422),
            modes=("constant", "variable", "quality"),
            quality=QualityScale(1, 31, 4),
            scans=("progressive", "top first", "bottom first"),
            without=_ONE_PASS,
            profiles=("main", "4:2:2"),
            peaks=("constant", "variable"),
            tags="limited",
            containers=("mp4", "mov", "mkv", "mxf", "ts"),
            stream="mpeg2video",
            typical=Typical(0.22, 4.0, power=0.8),
            efforts=False,
            keeps_peak=True,
            rates=MPEG2_RATES,
            profile_names={"main": "Main", "4:2:2": "4:2:2"},
            profile_of={"4:2:2": "4:2:2", "": "main"},
        ),
        PictureCodec(
            "prores",
            "ProRes",
            use="intra mezzanine for editing and hand-over, read by every editing seat",
            kind="intra",
            stands_for=("mjpeg", "v210"),
            encoders=("prores_aw", "prores_ks"),
            samplings=(_422_10, _444_10),
            grades=(
                Grade("proxy", "Proxy", "0", _422_10, 0.86, "apco"),
                Grade("lt", "LT", "1", _422_10, 1.95, "apcs"),
                Grade("standard", "Standard", "2", _422_10, 2.8, "apcn"),
                Grade("hq", "HQ", "3", _422_10, 4.2, "apch"),
                Grade("4444", "4444", "4", _444_10, 6.3, "ap4h", _444_10_ALPHA),
            ),
            scans=_FIELDS,
            tags="said",
            piece="mov",
            containers=("mov", "mkv", "mxf"),
            graded=(-0.25, 0.4),
            own_tag=True,
        ),
        PictureCodec(
            "dnxhr",
            "DNxHR",
            use="intra mezzanine of a known size: every frame takes the same",
            kind="intra",
            encoders=("dnxhd",),
            samplings=(_422, _422_10, _444_10),
            grades=(
                Grade("lb", "LB", "dnxhr_lb", _422, 0.87),
                Grade("sq", "SQ", "dnxhr_sq", _422, 2.8),
                Grade("hq", "HQ", "dnxhr_hq", _422, 4.25),
                Grade("hqx", "HQX", "dnxhr_hqx", _422_10, 4.25),
                Grade("444", "444", "dnxhr_444", _444_10, 8.5),
            ),
            tags="said",
            least=(256, 120),
            piece="mov",
            containers=("mov", "mxf"),
            stream="dnxhd",
            graded=(0.0, 0.01),
        ),
        PictureCodec(
            "cineform",
            "CineForm",
            use="intra mezzanine by wavelets, gentle with gradients",
            kind="intra",
            encoders=("cfhd",),
            samplings=(_422_10,),
            grades=(
                Grade("low", "Low", "low", _422_10, 3.0),
                Grade("medium", "Medium", "medium", _422_10, 4.0),
                Grade("high", "High", "high", _422_10, 5.0),
                Grade("film", "Film", "film1", _422_10, 6.5),
            ),
            tags="said",
            multiple=16,
            least=(48, 32),
            piece="mov",
            containers=("mov",),
            stream="cfhd",
            graded=(-0.15, 0.3),
        ),
        PictureCodec(
            "ffv1",
            "FFV1",
            use="lossless, with a sum for every slice: for archives",
            kind="lossless",
            stands_for=("rawvideo", "huffyuv", "utvideo"),
            encoders=("ffv1",),
            samplings=(_420, _422, _444, _420_10, _422_10, _444_10, *_YUV_DEEP, *_FFV1_RGB, *_GRAYS, *_YUVA),
            scans=_FIELDS,
            containers=("mkv",),
            lossless=(3.0, 0.8),
        ),
        PictureCodec(
            "jpeg2000",
            "JPEG 2000",
            use="lossless by wavelets, each picture for itself: for film and broadcast archives; slow to make",
            kind="lossless",
            encoders=("jpeg2000",),
            samplings=(_420, _422, _444, _420_10, _422_10, _444_10, *_YUV_DEEP),
            tags="limited",
            piece="mov",
            containers=("mov", "mkv"),
            lossless=(5.5, 0.6),
        ),
        PictureCodec(
            "rle",
            "Run length (QuickTime Animation)",
            use="lossless for drawn pictures and graphics; very large for filmed ones",
            kind="lossless",
            encoders=("qtrle",),
            samplings=(_RGB, _ARGB),
            tags="none",
            piece="mov",
            containers=("mov",),
            stream="qtrle",
            stands_for=("png",),
            lossless=(12.0, 1.0),
        ),
        PictureCodec(
            "jpeg",
            "JPEG",
            use="small stills, with a quality",
            kind="images",
            encoders=("mjpeg",),
            samplings=(
                Sampling(8, "4:2:0", "yuvj420p", "yuv420p"),
                Sampling(8, "4:4:4", "yuvj444p", "yuv444p"),
            ),
            modes=("quality",),
            quality=QualityScale(1, 31, 3),
            without=dict.fromkeys(("constant", "variable", "two pass"), "stills have a quality, not a rate"),
            tags="none",
            piece="mov",
            containers=("images",),
            stream="mjpeg",
            typical=Typical(1.0, 3.0, power=0.8, sd=0.5),
        ),
        PictureCodec(
            "png",
            "PNG",
            use="lossless stills, any program reads them",
            kind="images",
            encoders=("png",),
            samplings=(_RGB, _RGB_16, _RGBA, _RGBA_16),
            tags="none",
            piece="mov",
            containers=("images",),
            lossless=(8.0, 0.7),
        ),
        PictureCodec(
            "tiff",
            "TIFF",
            use="lossless stills for print and grading",
            kind="images",
            encoders=("tiff",),
            samplings=(_RGB, _RGB_16L, _RGBA, _RGBA_16L),
            tags="none",
            piece="mov",
            containers=("images",),
            lossless=(16.0, 0.45),
        ),
        PictureCodec(
            "dpx",
            "DPX",
            use="film frames in 10 bits, uncompressed",
            kind="images",
            encoders=("dpx",),
            samplings=(_RGB_10, _RGB),
            tags="none",
            piece="mov",
            containers=("images",),
            lossless=(32.0, 0.01),
        ),
        PictureCodec(
            "exr",
            "EXR",
            use="half-float frames for compositing; values are the picture's own, not linear light",
            kind="images",
            encoders=("exr",),
            samplings=(_RGB_FLOAT, _RGBA_FLOAT),
            tags="none",
            piece="mov",
            containers=("images",),
            lossless=(24.0, 0.25),
        ),
    )
}

SOUND: dict[str, SoundCodec] = {
    item.id: item
    for item in (
        SoundCodec(
            "aac", "AAC", "plays everywhere", any_layout=True, containers=("mp4", "mov", "mkv", "ts", "m4a")
        ),
        SoundCodec(
            "opus",
            "Opus",
            "best at small rates; for the web",
            rates=(48000,),
            bits=RateScale(16_000, 510_000, 112_000),
            packet=960,
            any_layout=True,
            containers=("mp4", "mkv", "webm", "opus"),
        ),
        SoundCodec(
            "pcm",
            "PCM",
            "as it is, for editing and broadcast",
            lossless=True,
            depths=(16, 24),
            any_layout=True,
            containers=("mov", "mkv", "mxf", "wav"),
        ),
        SoundCodec(
            "flac",
            "FLAC",
            "lossless, about half of PCM",
            lossless=True,
            depths=(16, 24),
            packet=4608,
            stands_for=("alac",),
            share=0.6,
            any_layout=True,
            containers=("mp4", "mkv", "flac"),
        ),
        SoundCodec(
            "mp3",
            "MP3",
            "for old players",
            channels=(1, 2),
            bits=RateScale(32_000, 320_000, 192_000),
            packet=1152,
            containers=("mp4", "mkv", "ts", "mp3"),
        ),
    )
}
