"""Arguments of the command line: what each must be, and one line of our own where it is not."""

from __future__ import annotations

import argparse
import re
from typing import NoReturn

from aurelon.core import AurelonError

# The sentences of the library, and ours.
SENTENCES = (
    (r"argument (?:COMMAND|-\S*|\S+): invalid choice: (.*) \(choose from (.*)\)", r"\1 is not known; there are \2"),
    (r"the following arguments are required: (.*)", r"\1 is missing"),
    (r"unrecognized arguments: (.*)", r"\1 is not known here"),
    (r"argument (\S+): expected one argument", r"\1 needs a value behind it"),
    (r"argument (\S+): not allowed with argument (\S+)", r"give \1 or \2, not both"),
    (r"argument (\S+): (.*)", r"\1: \2"),
)


class Parser(argparse.ArgumentParser):
    """A parser that refuses in one line, as everything else does."""

    def error(self, message: str) -> NoReturn:
        refusal = message.replace("-o/--out", "-o OUT")
        for pattern, sentence in SENTENCES:
            found = re.fullmatch(pattern, refusal)
            if found is not None:
                refusal = found.expand(sentence)
                break
        raise AurelonError(f"{refusal}; `{self.prog} --help` says what can be given")


def size(text: str) -> tuple[int, int]:
    width, _, height = text.lower().partition("x")
    if not (width.isdecimal() and height.isdecimal() and int(width) and int(height)):
        raise argparse.ArgumentTypeError(f"'{text}' is not a size such as 1200x800")
    return int(width), int(height)


def count(text: str) -> int:
    if not text.isdecimal() or int(text) == 0:
        raise argparse.ArgumentTypeError(f"'{text}' is not a whole number from 1 on")
    return int(text)


def frames(text: str) -> tuple[int, int | None]:
    first, colon, last = text.partition(":")
    if not colon or not all(part == "" or part.isdecimal() for part in (first, last)):
        raise argparse.ArgumentTypeError(f"'{text}' is not a range of frames, such as 0:48")
    begin, end = int(first or 0), int(last) if last else None
    if end is not None and end <= begin:
        raise argparse.ArgumentTypeError(f"'{text}' has no frame in it; the first must come before the second, as in 3:9")
    return begin, end


def quality(text: str) -> int:
    if not text.isdecimal() or not 1 <= int(text) <= 100:
        raise argparse.ArgumentTypeError(f"'{text}' is not a quality from 1 to 100")
    return int(text)


def port(text: str) -> int:
    if not text.isdecimal() or not 1 <= int(text) <= 65535:
        raise argparse.ArgumentTypeError(f"'{text}' is not a port from 1 to 65535")
    return int(text)
