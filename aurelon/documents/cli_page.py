"""docs/cli.md: the command line, from its own parser."""

from __future__ import annotations

import argparse

from aurelon.cli import make_parser

HEAD = """# The command line

Made from the program itself by `python -m aurelon.documents`. After `make setup` the command is `.venv/bin/aurelon`.

What goes wrong is one line on standard error, and the command ends with 2; 0 means that it did what was asked.
"""


def cli_page() -> str:
    """The page, in Markdown."""
    parts = [HEAD]
    parser = make_parser()
    commands = next(a for a in parser._actions if isinstance(a, argparse._SubParsersAction))
    about = {choice.dest: choice.help for choice in commands._choices_actions}
    for name, command in commands.choices.items():
        command.formatter_class = lambda prog: argparse.HelpFormatter(prog, width=100)
        usage = command.format_usage().removeprefix("usage: ").strip()
        rows = ["| argument | what it is | default |", "|---|---|---|"]
        for action in command._actions:
            if action.dest == "help":
                continue
            words = ", ".join(f"`{word}`" for word in action.option_strings) or f"`{action.dest}`"
            said = None if action.nargs == 0 else action.default  # a switch is off until it is given
            default = said if said not in (None, False, [], argparse.SUPPRESS) else ""
            shown = str(default).replace(str(action.default.parent), "~") if action.dest == "data" else str(default)
            rows.append(f"| {words} | {(action.help or '').replace('%%', '%')} | {shown} |")
        parts.append(f"## {name}\n\n{(about[name] or '').capitalize()}.\n\n```\n{usage}\n```\n\n" + "\n".join(rows) + "\n")
    return "\n".join(parts)
