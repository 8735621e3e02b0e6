"""The `aurelon` command: serve, render, run, kinds, check."""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path
from typing import Any

from aurelon import __version__
from aurelon.arguments import Parser, count, frames, port, quality, size
from aurelon.core import AurelonError, OutputError, Plate, Rig, open_plate, open_reel, parse_rig, read_plate
from aurelon.core.catalogue.catalogue import catalogue, whole_catalogue
from aurelon.core.codecs import suffixes
from aurelon.core.codecs.shared.metadata import NOTES
from aurelon.core.export import USUAL, format_for, targets
from aurelon.core.export.picture import PROFILES, frame_for
from aurelon.core.export.shared.whole_file import write_whole
from aurelon.core.graph.renderer import never, seen_frame
from aurelon.core.graph.show import parse_show
from aurelon.core.imaging.colour_config import choose, name_of_chosen
from aurelon.core.reel import is_reel_path
from aurelon.core.reels.writers import is_reel_output
from aurelon.core.settings.slider import Slider
from aurelon.core.settings.types.choice import Choice
from aurelon.runs.engines.clusters import Certificates, ClusterAddress, Clusters
from aurelon.runs.naming import over_of, refuse_inputs
from aurelon.runs.tasks import PLACINGS

RIG_HELP = "the rig: a JSON file, or a picture in which it travels"


def _read_text(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except FileNotFoundError as error:
        raise AurelonError(f"{path} does not exist; name a rig that is there") from error
    except IsADirectoryError as error:
        raise AurelonError(f"{path} is a folder; name the rig in it") from error
    except OSError as error:
        raise AurelonError(f"{path} cannot be read ({error.strerror}); allow it") from error


def _render(options: argparse.Namespace) -> int:
    out: Path = options.out
    if not out.parent.is_dir() and not is_reel_output(out):
        raise OutputError(f"{out} cannot be written: the folder {out.parent} does not exist; make it first")
    rig = _rig(options)
    over = over_of(str(out), options.over)
    if is_reel_path(options.plate) and is_reel_output(out):
        return _render_reel(options, rig, over)
    refuse_inputs([out], {options.plate: "the plate", options.rig: "the rig"}, over=over)
    plate = _one_plate(options)
    for sentence in (*plate.notices, *rig.notices):
        print(sentence, file=sys.stderr)
    sized = {"size": options.size, "long_edge": options.long_edge}
    chosen = _chosen(options)
    target, form = targets()[options.target], format_for(options.target, out)
    shown = {"show": parse_show(options.show)} if "show" in target.options.model_fields else {}
    wanted = target.for_path(form, plate, **sized, **chosen, **shown)
    tall, wide = frame_for(plate, rig, wanted).shape
    own_tall, own_wide = seen_frame(plate, rig).shape
    if wide > own_wide:
        print(f"{out}: enlarged from {own_wide} x {own_tall} to {wide} x {tall}", file=sys.stderr)
    if plate.exif and wanted.depth in form.without_exif:
        print(f"{out}: written without what the camera noted (EXIF), which this kind of file does not carry", file=sys.stderr)
    result = target.run(plate, rig, wanted, lambda share: None, never)
    write_whole(out, result.copy_to)
    return 0


def _one_plate(options: argparse.Namespace) -> Plate:
    """The picture of which one picture is made; of a reel one frame."""
    if is_reel_path(options.plate):
        format_for(options.target, options.out)
        number = (options.frames or (0, None))[0]
        reel = open_reel(options.plate)
        try:
            plate = reel[number]
        except IndexError as error:
            raise OutputError(f"{error}") from error
        print(f"{options.out}: frame {number} of {len(reel)}", file=sys.stderr)
        return plate
    plate = open_plate(options.plate, options.layer)
    if options.frames is not None or options.resume:
        raise OutputError("--frames and --resume are for reels: name a video or numbered stills, and such an output")
    return plate


def _render_reel(options: argparse.Namespace, rig: Rig, over: bool) -> int:
    from aurelon.runs.command import RunOptions
    from aurelon.runs.reels import ReelRun, render_reel

    chosen = {"long_edge": options.long_edge, "size": options.size, "format": options.format, **_chosen(options)}
    wanted = RunOptions(
        rig,
        "",
        target=options.target,
        chosen={name: value for name, value in chosen.items() if value is not None},
        resume=options.resume,
        workers=options.workers,
        threads=options.threads,
        cluster=_cluster(options),
        over=over,
        rig_files=(options.rig,),
    )
    return render_reel(ReelRun(options.plate, options.out, options.frames or (0, None), wanted))


def _chosen(options: argparse.Namespace) -> dict[str, Any]:
    """The options of the file that were given on the command line."""
    names = ("depth", "profile", "quality", "above_white", "metadata", "with_rig")
    return {name: value for name in names if (value := getattr(options, name)) is not None}


def _rig(options: argparse.Namespace) -> Rig:
    """The rig that is named, for plates in the colour space that is named."""
    rig = _parse(options.rig)
    if options.input_space is None:
        return rig
    return rig.model_copy(update={"prepare": rig.prepare.model_copy(update={"input_space": options.input_space})})


def _parse(path: Path) -> Rig:
    data = _read_text(path)
    try:
        if path.suffix.lower() in suffixes():
            data = read_plate(data, path.name).rig.encode()
            if not data:
                raise AurelonError("no rig travels in this picture; name a JSON file, or a picture that was written with its rig")
        return parse_rig(data)
    except AurelonError as error:
        raise AurelonError(f"{path}: {error}") from error


def _run(options: argparse.Namespace) -> int:
    from aurelon.runs.command import RunOptions, run_many, run_watching

    chosen = {"long_edge": options.long_edge, **_chosen(options)}
    wanted = RunOptions(
        _rig(options),
        options.out,
        options.place,
        options.target,
        {name: value for name, value in chosen.items() if value is not None},
        options.resume,
        options.workers,
        options.threads,
        _cluster(options),
        over_of(options.out, options.over),
        (options.rig,),
    )
    if (options.watch is None) == (not options.plates):
        raise OutputError("name either plates or a folder to --watch")
    return run_many(options.plates, wanted) if options.watch is None else run_watching(options.watch, wanted)


def _kinds(options: argparse.Namespace) -> None:
    kinds = catalogue()
    for sentence in whole_catalogue().left_out:
        print(sentence, file=sys.stderr)
    if options.json:
        print(json.dumps([kind.model_dump() for kind in kinds], indent=1))
        return
    for kind in kinds:
        print(f"{kind.name}: {kind.summary}")
        for group in kind.groups:
            print(f"  {group.name}")
            for s in group.settings:
                span = f" {s.low:g}..{s.high:g} {s.unit}".rstrip() if isinstance(s, Slider) else ""
                choice = f" ({', '.join(option.value for option in s.options)})" if isinstance(s, Choice) else ""
                print(f"    {s.name:<18} {s.help}{choice}{span}; default {s.default}")


def _check(options: argparse.Namespace) -> None:
    rig = _parse(options.rig)
    lights = len(rig.stack)
    print(f"{options.rig}: valid, {lights} light{'' if lights == 1 else 's'}")
    for notice in rig.notices:
        print(f"  {notice}")


def _serve(options: argparse.Namespace) -> None:
    from aurelon.web.server import ServiceOptions, serve

    if (options.tls_cert is None) != (options.tls_key is None):
        raise AurelonError("--tls-cert and --tls-key go together: a certificate, and its key")
    opened = ServiceOptions(
        tls=None if options.tls_cert is None else (options.tls_cert, options.tls_key),
        memory=None if options.memory is None else options.memory << 20,
        clusters=Clusters.of(options.cluster, _certificates(options)),
        proxies=tuple(options.proxy),
    )
    serve(options.host, options.port, options.data, demo=options.demo, options=opened)


def _certificates(options: argparse.Namespace) -> Certificates | None:
    return Certificates.of(options.cluster_ca, options.cluster_cert, options.cluster_key)


def _cluster(options: argparse.Namespace) -> ClusterAddress | None:
    """The cluster that makes the pictures, as the command line names it."""
    certificates = _certificates(options)
    if not options.cluster:
        return None
    return ClusterAddress(options.cluster, certificates)


def make_parser() -> argparse.ArgumentParser:
    """All commands and what they take."""
    parser = Parser(prog="aurelon", description="Puts light into a photograph.")
    parser.add_argument("--version", action="version", version=__version__)
    commands = parser.add_subparsers(required=True, metavar="COMMAND")

    serve = commands.add_parser("serve", help="start the bench")
    serve.add_argument("--host", default="127.0.0.1", help="address to listen on")
    serve.add_argument("--port", type=port, default=8420, help="port to listen on")
    serve.add_argument("--data", type=Path, default=Path.home() / ".aurelon", help="folder of the one data file")
    serve.add_argument("--demo", action="store_true", help="put the demo plates in place if there are none")
    serve.add_argument("--tls-cert", type=Path, help="certificate (PEM) for an encrypted service")
    serve.add_argument("--tls-key", type=Path, help="the certificate's key (PEM)")
    serve.add_argument(
        "--memory",
        type=count,
        metavar="MB",
        help="for pictures on benches, exports and runs; else a quarter of the machine's, 1024 at most",
    )
    serve.add_argument(
        "--cluster",
        action="append",
        default=[],
        metavar="NAME=tcp://HOST:PORT",
        help="a cluster that runs may be given to, by the name that the screen shows; may be given several times",
    )
    _add_certificates(serve)
    serve.add_argument(
        "--proxy",
        action="append",
        default=[],
        metavar="ADDRESS",
        help="the address of a proxy of your own, whose X-Forwarded-For and -Proto count; may be given several times",
    )
    _add_colours(serve)
    serve.set_defaults(run=_serve)

    render = commands.add_parser("render", help="render a rig on a plate into a file")
    render.add_argument(
        "plate", type=Path, help="the picture file; or a video, a folder of numbered stills, a pattern such as in/%%04d.png"
    )
    render.add_argument("--rig", type=Path, required=True, help=RIG_HELP)
    render.add_argument("--layer", default="", help="of a file that holds several pictures, the one of this name")
    render.add_argument(
        "-o",
        "--out",
        type=Path,
        required=True,
        help="the file to write; its ending says in which format; of a reel also a folder or a pattern",
    )
    sized = render.add_mutually_exclusive_group()
    sized.add_argument("--size", type=size, help="WIDTHxHEIGHT in pixels, in the picture's own proportions")
    sized.add_argument("--long-edge", type=count, help="pixels on the long edge; may enlarge up to four times")
    render.add_argument("--show", default="result", help="result, before, distance, stage:LIGHT:STAGE, light:LIGHT or mask:LIGHT")
    render.add_argument(
        "--frames", type=frames, metavar="A:B", help="of a reel, from frame A up to, without, B, counted from 0; all where left out"
    )
    render.add_argument("--format", help="of a reel, where an ending has several: vp9 or av1 in WebM")
    render.add_argument("--resume", action="store_true", help="of a reel, go on with what an earlier command left")
    _add_workers(render)
    _add_writing(render)
    render.set_defaults(run=_render)

    many = commands.add_parser("run", help="render a rig on many plates, or on whatever arrives in a folder")
    many.add_argument("plates", type=Path, nargs="*", help="picture files, or folders of them")
    many.add_argument("--rig", type=Path, required=True, help=RIG_HELP)
    many.add_argument(
        "-o", "--out", required=True, help="the files to write, such as 'out/{name}.jpg'; {number} and {folder} are known too"
    )
    many.add_argument("--place", choices=PLACINGS, default="rig", help="where the lights are: as in the rig, or found anew in each")
    many.add_argument("--resume", action="store_true", help="go on with what an earlier run left; nothing finished is made again")
    _add_workers(many)
    many.add_argument("--watch", type=Path, metavar="FOLDER", help="make whatever arrives in this folder, until Ctrl-C")
    many.add_argument("--long-edge", type=count, help="pixels on the long edge; may enlarge up to four times")
    _add_writing(many)
    many.set_defaults(run=_run)

    kinds = commands.add_parser("kinds", help="every kind of light with its settings")
    kinds.add_argument("--json", action="store_true", help="as JSON")
    kinds.set_defaults(run=_kinds)

    check = commands.add_parser("check", help="check a rig: what is wrong, and where")
    check.add_argument("rig", type=Path, help=RIG_HELP)
    check.set_defaults(run=_check)
    return parser


def _add_colours(command: argparse.ArgumentParser) -> None:
    """The colour configuration."""
    command.add_argument(
        "--ocio",
        metavar="CONFIG",
        help="an OpenColorIO configuration: a file, or ocio://NAME for one that is built in; the environment's OCIO where left out",
    )


def _add_workers(many: argparse.ArgumentParser) -> None:
    """Where pictures are made."""
    many.add_argument("--workers", type=count, help="pictures made at once; as many as fit where left out")
    many.add_argument("--threads", type=count, help="threads in each worker; the processors shared out where left out")
    many.add_argument("--cluster", default="", metavar="tcp://HOST:PORT", help="have the workers of a cluster make them")
    _add_certificates(many)


def _add_certificates(command: argparse.ArgumentParser) -> None:
    """What an encrypted cluster is spoken to with."""
    command.add_argument("--cluster-ca", type=Path, metavar="PEM", help="of a tls:// cluster, who signs its certificates")
    command.add_argument("--cluster-cert", type=Path, metavar="PEM", help="of a tls:// cluster, this machine's certificate")
    command.add_argument("--cluster-key", type=Path, metavar="PEM", help="of a tls:// cluster, that certificate's key")


def _add_writing(render: argparse.ArgumentParser) -> None:
    """How files are written."""
    render.add_argument("--over", metavar="OUT", help="the output named again: it may write over files that are there")
    render.add_argument("--depth", help="bits a sample, as the format has them: 8, 10, 12, 16, half, float, pq10, gain-map, ...")
    render.add_argument("--profile", choices=PROFILES, help="colour profile; the plate's own where left out")
    render.add_argument("--quality", type=quality, help="1 to 100, for formats that lose detail")
    render.add_argument(
        "--above-white",
        choices=("cut", "roll_off"),
        help="light above white: cut off, or rolled off as on film; usually as the rig says",
    )
    render.add_argument(
        "--metadata",
        choices=tuple(NOTES),
        help="what of the camera's notes goes along: the usual ones (without place, serial numbers and names), all, or none",
    )
    _add_colours(render)
    render.add_argument("--input-space", metavar="NAME", help="of a colour configuration, the space that the plate's file is in")
    render.add_argument("--with-rig", action="store_true", default=None, help="let the rig travel in the file")
    render.set_defaults(target=USUAL)
    for target in targets().values():
        if target.switch:
            render.add_argument(target.switch, dest="target", action="store_const", const=target.name, help=target.switch_help)


def main(arguments: list[str] | None = None) -> int:
    """Runs a command; 0 when it did what was asked, 2 with a line on stderr when it did not."""
    try:
        options = make_parser().parse_args(arguments)
        if "ocio" in options:
            # One that cannot be used is said before anything is begun.
            choose(options.ocio or name_of_chosen())
        return options.run(options) or 0
    except AurelonError as error:
        print(" ".join(str(error).split()), file=sys.stderr)
        return 2
    except BrokenPipeError:
        return 2
    except KeyboardInterrupt:  # before there was anything to end in order
        return 130


if __name__ == "__main__":
    sys.exit(main())
