"""The command line: the same core, JSON out, exit 2 and one clear line on bad input."""

from __future__ import annotations

import sys
from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer

from even_static.cli_files import data_folder, job_of, networks_of, open_store, scans_of, show_progress, write_json
from even_static.now import now_text
from even_static.serving import serve_store

app = typer.Typer(
    name="even-static",
    help="Measures the radio in a house and tunes its Wi-Fi and Zigbee until they stop disturbing each other.",
    add_completion=False,
    no_args_is_help=True,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
)
DEFAULT_PORT = 8641
FileArgument = Annotated[Path, typer.Argument(help="A file.")]
DataOption = Annotated[Path | None, typer.Option("--data", help="The SQLite file that holds the calls.")]
PortOption = Annotated[int, typer.Option(help="Port on 127.0.0.1; 0 takes a free one.")]
ShareOption = Annotated[
    bool, typer.Option("--share", help="Let phones on this network in that know the pairing code, until it ends.")
]
SpeedOption = Annotated[float, typer.Option(help="Seconds of the stand-ins' clock in one real second.")]


@app.command()
def schema() -> None:
    """Print the JSON Schema of the job file."""
    from even_static.formats.job_file import schema as job_schema

    write_json(job_schema())


@app.command()
def read(
    file: FileArgument,
    channel: Annotated[int | None, typer.Option(help="802.15.4 channel, where the frames do not tell it.")] = None,
) -> None:
    """Print the networks of a capture (pcap, pcapng; of Wi-Fi or 802.15.4) or a CSV file of readings; notes go to
    standard error."""
    networks, notes = networks_of(file, channel)
    for note in notes:
        sys.stderr.write(f"even-static: note: {note}\n")
    write_json(networks)


@app.command()
def check(job: FileArgument) -> None:
    """Print the figures of a job's present settings."""
    from even_static.core.model.evaluate import evaluate

    loaded = job_of(job)
    write_json(asdict(evaluate(loaded, loaded.settings)))


@app.command()
def tune(
    job: FileArgument,
    seconds: Annotated[float, typer.Option(help="Longest time to search, in seconds.")] = 20.0,
    channel_plan: Annotated[str, typer.Option(help='"any legal channel" or "1/6/11 only".')] = "any legal channel",
    avoid_dfs: Annotated[bool, typer.Option(help="Leave out channels that need radar detection.")] = False,
    channels_only: Annotated[bool, typer.Option(help="Choose channels and widths only.")] = False,
) -> None:
    """Print the settings to take, what will come of them in drawn worlds (`outlook`), proof and alternatives.

    Figures that have the names of `check` are the model's, as measured.
    """
    from even_static.core.errors import BadInput
    from even_static.core.model.prepared_house import House
    from even_static.core.search.candidates import Rules
    from even_static.core.search.plan import make_plan
    from even_static.core.tables.channel_plans import CHANNEL_PLANS

    chosen = next((p for p in CHANNEL_PLANS if p == channel_plan.replace("-", " ")), None)
    if chosen is None:
        raise BadInput("--channel-plan", "must be a channel plan", channel_plan, " or ".join(CHANNEL_PLANS))
    if not seconds > 0:
        raise BadInput("--seconds", "must be a time", seconds, "more than 0")
    free = not channels_only
    rules = Rules(channel_plan=chosen, avoid_dfs=avoid_dfs, power=free, switch_off=free, links=free, steering=free)
    plan = make_plan(House(job_of(job)), rules, seconds)
    write_json(
        {
            **asdict(plan.evaluation),
            "settings": asdict(plan.settings),
            "outlook": None if plan.outlook is None else asdict(plan.outlook),
            "proven": plan.proven,
            "bound": asdict(plan.bound),
            "channel_plan": plan.channel_plan,
            "seconds": plan.seconds,
            "now": asdict(plan.now),
            "alternatives": [
                {
                    **asdict(a.evaluation),
                    "kind": a.kind,
                    "name": a.name,
                    "reason": a.reason,
                    "settings": asdict(a.settings),
                }
                for a in plan.alternatives
            ],
        }
    )


@app.command()
def report(
    job: FileArgument,
    pdf: Annotated[Path | None, typer.Option(help="Write a PDF to this file instead.")] = None,
    language: Annotated[str, typer.Option(help="Whose numbers and dates the PDF has, such as de-AT.")] = "en-GB",
) -> None:
    """Print the report of a job for the household, with the technician's annex; neighbours go by letters."""

    from even_static.core.errors import BadInput
    from even_static.core.report.report import report as made

    found = made(job_of(job), now_text())
    if pdf is None:
        write_json(asdict(found))
        return
    from even_static.formats.report_pdf import write_report

    try:
        pdf.write_bytes(write_report(found, language))
    except OSError as error:
        raise BadInput(
            "pdf", f"must be a place that can be written to ({error.strerror})", str(pdf), "a file"
        ) from None


@app.command()
def coverage(
    job: FileArgument,
    grid: Annotated[str | None, typer.Option(help='Print a grid instead: "csv" or "geojson".')] = None,
    storey: Annotated[int, typer.Option(help="Floor of the grid.")] = 0,
    band: Annotated[str, typer.Option(help='Band of the grid: "2.4 GHz", "5 GHz" or "6 GHz".')] = "5 GHz",
    step_m: Annotated[float, typer.Option(help="Step of the grid in m.")] = 0.5,
) -> None:
    """Print predicted levels at the spots of a job with a house, or a grid of a storey."""
    from even_static.core.errors import BadInput
    from even_static.core.propagation.coverage import Coverage
    from even_static.core.propagation.picture import spots
    from even_static.core.tables.bands import BANDS
    from even_static.formats.coverage_grid import grid_csv, grid_geojson

    found = Coverage(job_of(job))
    chosen = next((b for b in BANDS if b == band), None)
    if chosen is None:
        raise BadInput("--band", "must be a band", band, ", ".join(BANDS))
    if grid is not None:
        writers = {"csv": grid_csv, "geojson": grid_geojson}
        if grid not in writers:
            raise BadInput("--grid", "must be a format", grid, "csv or geojson")
        sys.stdout.write(writers[grid](found, storey, chosen, step_m))
        return
    lines = []
    for b in BANDS:
        rows = [i for i, r in enumerate(found.radios) if r.band == b]
        if rows:
            lines += [
                {"band": b, **asdict(s)} for s in spots(found, b, None, rows, "downlink", None, found.job.settings)
            ]
    write_json({"spots": lines, "shadowing_db": found.fit.shadowing_db, "readings": len(found.seen)})


@app.command()
def place(
    job: FileArgument,
    nodes: Annotated[int, typer.Option(help="Most nodes to place: 1, 2 or 3.")] = 3,
    height_m: Annotated[float, typer.Option(help="Height of the nodes above the floor, in m.")] = 1.6,
) -> None:
    """Print the best spots for nodes among a house's sockets and cable drops; every choice is compared."""
    from even_static.core.errors import BadInput
    from even_static.core.propagation.coverage import Coverage
    from even_static.core.search.node_spots import place_nodes

    if not 1 <= nodes <= 3:
        raise BadInput("--nodes", "must be a number of nodes that is compared exactly", nodes, "1, 2 or 3")
    write_json(asdict(place_nodes(Coverage(job_of(job)), range(1, nodes + 1), height_m=height_m)))


@app.command()
def house(
    job: FileArgument,
    svg: Annotated[bool, typer.Option("--svg", help="Print a drawing to scale instead.")] = False,
    storey: Annotated[int, typer.Option(help="Floor of the drawing.")] = 0,
    band: Annotated[str | None, typer.Option(help="Draw the levels of this band.")] = None,
    section: Annotated[str | None, typer.Option(help='Draw a section instead: "along" or "across".')] = None,
) -> None:
    """Print a job's house as GeoJSON in local metres, or a plan or section of it as SVG."""
    from even_static.core.errors import BadInput
    from even_static.core.house.masking import masked
    from even_static.core.propagation.coverage import Coverage
    from even_static.core.propagation.picture import picture
    from even_static.core.propagation.section import AXES
    from even_static.core.propagation.section import section as cut
    from even_static.core.tables.bands import BANDS
    from even_static.formats.house_geojson import write_house
    from even_static.formats.house_svg import plan_svg, section_svg

    loaded = masked(job_of(job))
    if not svg and section is None:
        sys.stdout.write(write_house(loaded))
        return
    chosen = next((b for b in BANDS if b == band), None)
    if band is not None and chosen is None:
        raise BadInput("--band", "must be a band", band, ", ".join(BANDS))
    if section is not None:
        axis = next((a for a in AXES if a == section), None)
        if axis is None or chosen is None:
            raise BadInput("--section", "must be a direction, with a --band", section, "along or across")
        sys.stdout.write(section_svg(loaded, cut(Coverage(loaded), chosen, axis)))
        return
    if loaded.building is None:
        raise BadInput("building", "must be entered before it can be drawn", "none", "rooms under House")
    drawn = picture(Coverage(loaded), storey, chosen) if chosen is not None else None
    sys.stdout.write(plan_svg(loaded, loaded.building, storey, drawn))


@app.command()
def scan(
    as_json: Annotated[
        bool, typer.Option("--json", help="The scan as JSON, instead of a line for each network.")
    ] = False,
) -> None:
    """Scan with this computer's own Wi-Fi card: what networks broadcast, and at which level."""
    from even_static.instruments.system.card import scan_card

    found, notes = scan_card("here", now_text())
    if as_json:
        write_json({"scan": asdict(found), "notes": notes})
        return
    for r in sorted(found.readings, key=lambda r: -r.level_dbm):
        level = "?" if r.rssi_dbm is None else f"{'~' if r.estimated else ''}{r.rssi_dbm:.0f} dBm"
        name = r.ssid or "(hidden)"
        print(f"{level:>9}  {r.band}  channel {r.channel:>3}  {r.width_mhz:>3} MHz  {r.security:<12} {name}  {r.bssid}")
    for note in notes:
        print(note)


@app.command()
def listen(
    call: Annotated[int, typer.Option(help="Number of the call; it is a real house.")],
    place: Annotated[str, typer.Option(help="Identifier of the place where the capturing card is.")],
    source: Annotated[
        str, typer.Option("--from", help='A capture file, a named pipe, or "-" for standard input.')
    ] = "-",
    data: DataOption = None,
    port: Annotated[int, typer.Option(help="Port of the application, which shows it meanwhile.")] = DEFAULT_PORT,
) -> None:
    """Sum up a running capture, as of `tcpdump -U -w -`, on the Walk screen; Ctrl-C keeps it as a scan."""
    from even_static.listening import listen_to

    listen_to(source, open_store(data), call, place, port)


@app.command()
def backup(
    file: Annotated[Path, typer.Argument(help="Where to write it.")],
    data: DataOption = None,
) -> None:
    """Write all calls to a file, also while the application runs."""
    from even_static.store.backup import back_up

    print(f"{back_up(open_store(data), file, show_progress)} calls are in {file}")


@app.command()
def restore(
    file: FileArgument,
    data: DataOption = None,
) -> None:
    """Take over a backup, also while the application runs; the calls of before are kept in a file beside it."""
    from even_static.store.backup import restore as take_over

    count, before, bad = take_over(open_store(data), file, show_progress)
    print(f"{count} calls were taken over; those of before are in {before}")
    if bad:
        print(f"{bad} parts of them cannot be read: they are set aside when their call is opened")


@app.command("import")
def import_file(
    file: FileArgument,
    data: DataOption = None,
    call: Annotated[int | None, typer.Option(help="Add a capture or CSV file to this call.")] = None,
    place: Annotated[str | None, typer.Option(help="Identifier of the place where it was heard.")] = None,
) -> None:
    """Store a job file as a call, or add a capture or CSV file to one, and print the call's number."""
    if call is None:
        stored = open_store(data).add(job_of(file), "imported a job file")
        write_json({"call": stored.id, "title": stored.job.title})
        return
    from even_static.api.service import Service
    from even_static.formats.readings_csv import known_places

    store = open_store(data)
    job = store.get(call).job
    scans = scans_of(file, place)
    known_places(job, [s.place_id for s in scans])
    stored = Service(store).add_readings(call, scans, f"read {file.name}")
    write_json({"call": stored.id, "title": stored.job.title, "scans": len(stored.job.scans)})


@app.command()
def export(
    call: Annotated[int, typer.Argument(help="Number of the call.")],
    data: DataOption = None,
    readings: Annotated[bool, typer.Option("--readings", help="Print the readings as CSV instead.")] = False,
) -> None:
    """Print a call as a job file, or its readings as CSV."""
    from even_static.formats.job_file import write_job
    from even_static.formats.readings_csv import write_readings

    store = open_store(data)
    sys.stdout.write(write_readings(store.get(call).job.scans) if readings else write_job(store.whole(call)))


@app.command()
def serve(
    data: DataOption = None,
    port: PortOption = DEFAULT_PORT,
    clock_speed: SpeedOption = 60.0,
    open_page: bool = False,
    share: ShareOption = False,
) -> None:
    """Start the application with your own calls: on 127.0.0.1, unless it is shared."""
    serve_store(open_store(data), port, clock_speed, open_page, share)


@app.command()
def demo(
    data: DataOption = None,
    port: PortOption = DEFAULT_PORT,
    clock_speed: SpeedOption = 60.0,
    fresh: Annotated[bool, typer.Option(help="Begin again with the untouched demo calls.")] = False,
    open_page: bool = False,
    share: ShareOption = False,
) -> None:
    """Start the application with the demo calls, kept apart from your own: on 127.0.0.1, unless it is shared."""
    from even_static.api.practice.demo import add_demo_calls

    path = data or data_folder() / "demo.sqlite"
    if fresh:
        for part in (path, path.with_name(path.name + "-wal"), path.with_name(path.name + "-shm")):
            part.unlink(missing_ok=True)
    store = open_store(path)
    if not store.find():
        print("Measuring the demo houses, which takes a few seconds the first time.", flush=True)
        add_demo_calls(store)
    serve_store(store, port, clock_speed, open_page, share)


def main() -> None:
    """Entry point: turn every expected failure into one line and exit code 2."""
    from even_static.core.errors import EvenStaticError

    try:
        result = app(standalone_mode=False)
    except EvenStaticError as error:
        _fail(error.message)
    except (typer.Abort, KeyboardInterrupt):
        sys.exit(130)
    except UnicodeDecodeError as error:
        _fail(f"file: must be text in UTF-8; received a byte that is not, at {error.start}")
    except BrokenPipeError:
        sys.exit(0)
    except Exception as error:
        # Wrong words on the command line: the library's own exceptions carry their text in format_message().
        words = getattr(error, "format_message", None)
        if words is None:
            raise
        _fail(words())
    sys.exit(result if isinstance(result, int) else 0)


def _fail(message: str) -> None:
    from even_static.core.errors import printable

    sys.stderr.write(f"even-static: {printable(' '.join(message.split()))}\n")
    sys.exit(2)


if __name__ == "__main__":
    main()
