"""The page of formats that are read and written, from the tables that say so."""

from __future__ import annotations

from cuvrel.core.export.formats import HOWS, WHATS, How
from cuvrel.core.media.sound import CODECS
from cuvrel.core.media.stills import CALLED

_READ = (
    ("Video", "MP4, MOV, MKV, WebM, AVI, MXF, MPEG, TS, WMV, FLV, 3GP, Ogg, DV, GIF, moving PNG and WebP, Y4M, bare "
     "H.264 and HEVC; told by what a file holds, not by its name", "H.264, HEVC, VP8, VP9, AV1, ProRes, FFV1, MJPEG "
     "and what else FFmpeg decodes; 8 to 16 bit; alpha in ProRes 4444, FFV1 and VP9"),
    ("Pictures", f"{CALLED}; one, several of a kind, a folder, or a ZIP of several sequences", "8 and 16 bit, half and "
     "float; ICC profiles, cICP, chromaticities, film density; alpha straight or premultiplied as the file says; "
     "layers, parts, channels and Cryptomatte of EXR, its display window; orientation; missing numbers are said"),
    ("Sound", "in the video, or WAV, FLAC, MP3, M4A, AAC, Ogg, Opus alone", "AAC, MP3, Opus, Vorbis, FLAC, ALAC, "
     "AC-3, PCM; worked on at 48 kHz in two channels"),
    ("Colour tables", ".cube", "a curve for each channel, or a lattice of up to 129 a side"),
    ("Colour configurations", "OpenColorIO, by the environment variable OCIO", "spaces of footage and exports, views"),
    ("Time code", "MP4, MOV, MXF, MKV, DPX, EXR, WAV", "of the first frame; reels where they are said"),
    ("Grades", "ASC CDL (.cdl, .cc, .ccc)", "by the treatment's card"),
    ("Projects", "the packed project (portable.md)", "JSON, footage and matte frames in a ZIP"),
)  # fmt: skip


def _writes(how: How) -> str:
    pixels = [one for one in (how.pixels, how.pixels_alpha, how.pixels_grey) if one]
    if pixels:
        return ", ".join(pixels)
    return {"8": "uint8", "16": "uint16", "half": "half, linear light", "float": "float, linear light"}[how.depth]


def page() -> str:
    """Markdown."""
    lines = [
        "# Formats", "", "Written by `cuvrel formats docs/formats.md` from the tables of the program.", "",
        "## Read", "", "| what | files | inside |", "|---|---|---|",
        *(f"| {what} | {files} | {inside} |" for what, files, inside in _READ), "",
        "Matrix, range, primaries and transfer are taken from the file (BT.601, 709, 2020; full and limited; PQ, HLG",
        "and linear by ITU-R BT.2100); what it does not say is assumed as players do, said on the footage's card, and",
        "can be set there by hand, as can a colour space of the configuration ([colour](colour.md)). Reference white",
        "of PQ and HLG (203 cd/m2) is white here; what is brighter is kept, and reaches an EXR. Frames that come",
        "unevenly are laid on an even grid, the coarsest that keeps all of them within reason; how many it leaves out",
        "is said, and they can be shown one by one instead; where they come at several paces, a plane's time can be",
        "keyed to go from one to the other. Times that are missing, doubled or out of order are",
        "repaired in the decoder's order; what rests on pictures that the file does not hold is said to be missing at",
        "the start; files whose index is broken are read from their beginning. Pixels that are not square are",
        "stretched by the width; pictures that are turned or mirrored are shown as they are meant. A part that MP4,",
        "MOV or MKV name to be shown (clean aperture, crop) is said; all of the picture is kept until *Read as …*",
        "cuts it to that. Interlaced footage",
        "is said, and de-interlaced on demand. Of several sounds one is chosen. Not read: HEIC and camera raw, for",
        "want of a decoder under a licence that fits.", "",
        "## Written", "", "What: " + ", ".join(label.lower() for label in WHATS.values()) + ". How:", "",
        "| name | format | file | samples | alpha | layers | sound |", "|---|---|---|---|---|---|---|",
        *(
            f"| `{how.kind}` | {how.label} | {'ZIP of ' if how.form == 'pictures' else ''}{how.suffix} "
            f"| {_writes(how)} | {'yes' if how.alpha else 'no'} | {'yes' if how.layers else 'no'} "
            f"| {CODECS[how.sound][0] if how.sound else 'no'} |"
            for how in HOWS.values()
        ), "",
        "Videos in YUV are BT.709 in limited range, and say so. Pictures of 8 and 16 bit are display-encoded sRGB. EXR",
        "is linear light of BT.709 primaries, premultiplied where it has alpha; layers are channels: `R G B A` of the",
        "result, `NAME.R` and so on of a plane, `matte_NAME.Y` of a matte, and all mattes as Cryptomatte. PNG and TIFF",
        "layers lie in folders of their names. Any colour space or view of the configuration can be asked for instead.",
        "Time code goes into MOV, MP4, MKV and EXR. The sound is copied bit for bit where the shot leaves it as it is,",
        "the range begins with the footage, and the file takes its codec. A JSON beside each export says what the file",
        "itself can't.", "",
    ]  # fmt: skip
    return "\n".join(lines)
