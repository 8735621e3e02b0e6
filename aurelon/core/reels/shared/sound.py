"""A reel's sound, carried into a file that is written: as it is where the file can hold it, coded anew where not."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import suppress
from fractions import Fraction
from typing import TypeAlias

import av
import av.error
from av.audio.resampler import AudioResampler
from av.audio.stream import AudioStream
from av.container import OutputContainer
from av.packet import Packet

from aurelon.core.reels.shared.containers import open_container
from aurelon.core.reels.shared.writing import Sound

Sounded: TypeAlias = "Packet[AudioStream]"
RATES = {"libopus": 48_000}  # samples a second, of encoders that know only some
BIT_RATE = 160_000


class SoundTrack:
    """The packets of a sound, handed to `container` up to a time, so that they lie beside the pictures that they belong to."""

    def __init__(self, container: OutputContainer, sound: Sound, held: frozenset[str], encoder: str) -> None:
        self._container = container
        self._sound = sound
        self._source = open_container(sound.file)
        audio = self._source.streams.audio[0]
        assert isinstance(audio, AudioStream)
        if audio.codec_context.name in held:
            self._stream = container.add_stream_from_template(audio, opaque=True)
            self._coming = self._copied(audio)
        else:
            rate = RATES.get(encoder, audio.codec_context.sample_rate)
            result = container.add_stream(encoder, rate=rate, layout=audio.codec_context.layout)
            assert isinstance(result, AudioStream)
            if encoder != "flac":
                result.bit_rate = BIT_RATE
            self._stream = result
            self._coming = self._coded(audio, result, rate)
        self._held: tuple[Fraction, Sounded] | None = None

    def until(self, time: Fraction) -> None:
        """Hands over what is heard up to a time, in seconds from the first picture."""
        while True:
            if self._held is None:
                self._held = next(self._coming, None)
            if self._held is None or self._held[0] > time:
                return
            self._container.mux(self._held[1])
            self._held = None

    def close(self) -> None:
        self._source.close()

    def _packets(self, audio: AudioStream) -> Iterator[Sounded]:
        begin, end = self._sound.begin, self._sound.end
        start = begin + Fraction(self._source.start_time or 0, 1_000_000)
        if begin > 0:
            with suppress(av.error.FFmpegError):  # a file that cannot be sought in is read from its beginning
                self._source.seek(round(start * 1_000_000))
        with suppress(av.error.FFmpegError):  # of a file that is cut short: as far as it goes
            for packet in self._source.demux(audio):
                if packet.pts is None or packet.time_base is None:
                    continue
                time = packet.pts * packet.time_base - start
                if time >= end - begin:
                    return
                if time + (packet.duration or 0) * packet.time_base > 0:
                    yield packet

    def _start(self) -> Fraction:
        return self._sound.begin + Fraction(self._source.start_time or 0, 1_000_000)

    def _copied(self, audio: AudioStream) -> Iterator[tuple[Fraction, Sounded]]:
        for packet in self._packets(audio):
            base = packet.time_base or Fraction(1, 1000)
            time = max((packet.pts or 0) * base - self._start(), Fraction(0))
            packet.pts = packet.dts = round(time / base)
            packet.stream = self._stream
            yield time, packet

    def _coded(self, audio: AudioStream, result: AudioStream, rate: int) -> Iterator[tuple[Fraction, Sounded]]:
        context = result.codec_context
        resampler = AudioResampler(context.format, context.layout, rate, context.frame_size or None)
        for packet in self._packets(audio):
            with suppress(av.error.InvalidDataError):
                for frame in packet.decode():
                    if frame.pts is not None and frame.time_base is not None:
                        frame.pts = max(round((frame.pts * frame.time_base - self._start()) / frame.time_base), 0)
                    for fitting in resampler.resample(frame):
                        yield from self._timed(result.encode(fitting))
        for fitting in resampler.resample(None):
            yield from self._timed(result.encode(fitting))
        yield from self._timed(result.encode(None))

    @staticmethod
    def _timed(packets: list[Sounded]) -> Iterator[tuple[Fraction, Sounded]]:
        return ((packet.pts * (packet.time_base or Fraction(1)), packet) for packet in packets if packet.pts is not None)
