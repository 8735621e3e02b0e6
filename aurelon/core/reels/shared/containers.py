"""Files of moving pictures as FFmpeg's libraries open them (through PyAV), by the demuxers and decoders that are named here alone.

The demuxer is chosen by a file's first bytes, so that nothing that a file says reaches another one; no protocol is open, since
the file is read by the caller.
"""

from __future__ import annotations

from typing import BinaryIO

import av
import av.error
from av.container import InputContainer

from aurelon.core.codecs.shared.raster import UnreadableError

DEMUXERS = {"matroska": "matroska,webm", "mov": "mov,mp4,m4a,3gp,3g2,mj2", "avi": "avi"}
OF_PICTURES = (
    "av1 libdav1d libaom-av1 h264 hevc vp8 libvpx vp9 libvpx-vp9 mpeg4 mpeg2video mpeg1video mjpeg prores dnxhd ffv1 "
    "huffyuv ffvhuff utvideo rawvideo v210 v410 r210 png qtrle cfhd magicyuv gif theora jpeg2000 "
)
OF_SOUND = (
    "aac ac3 eac3 mp3 mp3float mp2 opus libopus vorbis flac alac pcm_s16le pcm_s16be pcm_s24le pcm_s24be pcm_s32le "
    "pcm_s32be pcm_f32le pcm_f32be pcm_u8 pcm_s8 "
)
DECODERS = frozenset((OF_PICTURES + OF_SOUND).split())
UNKNOWN = "is damaged, or of a kind that is not known; copy it again from where it came"


def demuxer_of(head: bytes) -> str | None:
    """The demuxer for a file that begins so."""
    if head[:4] == b"\x1aE\xdf\xa3":
        return "matroska"
    still = any(brand in head[8:64] for brand in (b"avif", b"avis", b"heic", b"mif1"))
    if head[4:8] in (b"ftyp", b"moov", b"mdat", b"wide") and not still:
        return "mov"
    return "avi" if head[:4] == b"RIFF" and head[8:12] == b"AVI " else None


def open_container(file: BinaryIO) -> InputContainer:
    """A file as FFmpeg's libraries open it, by the demuxers and decoders that are named here alone. Raises UnreadableError."""
    file.seek(0)
    name = demuxer_of(file.read(64))
    file.seek(0)
    if name is None:
        raise UnreadableError(UNKNOWN)
    options = {"format_whitelist": DEMUXERS[name], "codec_whitelist": ",".join(DECODERS), "protocol_whitelist": "none"}
    try:
        return av.open(file, "r", format=name, options=options)
    except (av.error.FFmpegError, ValueError) as error:
        raise UnreadableError(UNKNOWN) from error
