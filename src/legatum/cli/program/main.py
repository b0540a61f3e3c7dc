"""The command ``legatum``: finds the command's file, runs it, and turns whatever happens into one line and an exit
status.

Only the module of the command that was asked for is imported, and no parser for the version, so that starting costs
little.
"""

import gc
import sys
from collections.abc import Sequence
from types import ModuleType
from typing import TYPE_CHECKING

from legatum import __version__
from legatum.core.running.fault import Fault, OutsideFault
from legatum.core.text.printable import one_line

if TYPE_CHECKING:
    from legatum.cli.program.parser import Parser

GROUPS = {
    "to look": {
        "survey": "parent, every server and resolvers: what they say now, and findings",
        "explain": "what a finding means, why it matters, how to mend it, which standard says so",
        "visit": "the service behind the names, where the DNS leads to now and at a new address, side by side",
        "confirm": "one verdict: parent, child, registrar and resolvers agree, or what does not",
        "watch": "follow a change until it has reached everybody, beside the forecast",
        "timetable": "how long it will take: when to lower, switch, raise; what TTLs cost, what SOA timers mean",
        "ds": "the chain of trust; DS records from key to registry and back",
        "registration": "the registrar's side: what it holds, name servers, locks",
    },
    "to change what takes time": {
        "move": "draft, show, advance a move; where it stands",
        "fleet": "survey or confirm lists of domains, results as they come",
        "delegate": "a part of a zone handed to another provider: the child zone first, nobody notices",
        "second": "a second provider for the same zone, the same as the first",
        "hosts": "child name servers and their glue: the same in zone, registry and parent",
    },
    "zones and records": {
        "gather": "a zone's contents into a master file, and how complete that is",
        "compare": "the same zone in two places, side by side",
        "lint": "a zone's contents checked before anybody serves them",
        "publish": "show the difference, put the zone at a provider, prove it on every server",
        "amend": "change one RRset with the same safety as publish",
        "template": "the house's records for hosted domains: who has drifted from them, and back",
    },
    "the house": {
        "house": "every move of the house at one look: where it stands, what is next, when, and who",
        "history": "who did what when, old → new, and what shows it; the page for the customer",
        "inventory": "everything that the house holds, and where registrars, servers and lists contradict each other",
        "settings": "what is in force, every account tried out, and new ones written into the file",
        "journal": "where the journal is and what it holds; a whole copy of it, while it is in use",
        "worker": "look from here on behalf of somebody else, by way of a scheduler",
    },
    "to learn": {
        "demo": "the full worked example in the practice world, from survey to clean-up",
        "practice": "start and steer the practice world, to try every command by hand",
        "completion": "completion of commands and options for bash, zsh or fish",
    },
}
_FOLDERS = {
    "looks": ("survey", "explain", "visit", "confirm", "watch", "timetable"),
    "moves": ("move", "delegate", "second", "hosts", "ds"),
    "zones": ("gather", "compare", "lint", "publish", "amend", "template"),
    "house": ("house", "history", "inventory", "settings", "journal", "worker"),
    "learning": ("demo", "practice", "completion"),
}
MODULES = {name: f"{folder}.{name}" for folder, names in _FOLDERS.items() for name in names}
"""Command → its file below ``legatum.cli``; of one that is not here, the folder of its name."""
COMMANDS = {name: summary for group in GROUPS.values() for name, summary in group.items()}
_YOUNG = 50_000  # objects before the collector looks: little of ours goes round in circles, and there is much of it


def main(words: Sequence[str]) -> int:
    """Runs one command; the exit status (docs/commands.md). An interruption ends it as :class:`KeyboardInterrupt`."""
    gc.set_threshold(_YOUNG, 20, 20)
    try:
        return _run(list(words))
    except Fault as fault:
        return told(fault, words)
    except OSError as error:
        return told(OutsideFault(f"{error.filename or 'output'}: {error.strerror or error}"), words)


def told(fault: Fault, words: Sequence[str]) -> int:
    """In one line and what to do about it; as a document too where one was asked for."""
    print(f"{fault.usage}legatum: {one_line(fault.message)}", file=sys.stderr)
    if fault.remedy:
        print(f"         {one_line(fault.remedy)}", file=sys.stderr)
    if "--json" in words:
        from legatum.views.fault import fault_line

        sys.stdout.write(fault_line(fault))
        sys.stdout.flush()
    return fault.status


def unwritten(error: OSError) -> int:
    """Standard output could not be written; what was to be done is done."""
    return told(
        OutsideFault(
            f"standard output: {error.strerror or error}", "make room, or write it elsewhere; what was done stands"
        ),
        (),
    )


def _run(words: list[str]) -> int:
    if words == ["--version"]:
        print(f"legatum {__version__}")
        return 0
    parser, module = parser_of(words)
    parsed = parser.parse_args(words)
    if module is None:
        if not words:
            from legatum.cli.program.here import tell_what_can_be_done

            tell_what_can_be_done()
        parser.print_help()
        return 0 if not words else 2
    if parsed.color != "auto":
        from legatum.cli.program.parser import obey_colour

        obey_colour(parsed.color)
    status: int = module.run(parsed)
    return status


def parser_of(words: Sequence[str]) -> tuple["Parser", ModuleType | None]:
    """What reads these words, and the command's module; None where there is no command among them. Raises
    :class:`BadInput`."""
    import importlib

    from legatum.cli.program.parser import Parser, add_colour
    from legatum.core.text.nearest import proposal

    parser = Parser(
        prog="legatum",
        description=(
            "Moves customer domains between registrars and authoritative DNS providers: looks, "
            "plans, carries out, proves."
        ),
        epilog=(
            "Exit status: 0 fine, 1 findings or not confirmed, 2 bad usage or input, 3 the outside "
            "failed, 4 a gate does not hold."
        ),
    )
    parser.add_argument("--version", action="version", version=f"legatum {__version__}")
    commands = parser.add_subparsers(dest="command", metavar="COMMAND")
    module = None
    wanted = next((word for word in words if not word.startswith("-")), None)
    shown = {wanted: COMMANDS[wanted]} if words and words[0] == wanted in COMMANDS else COMMANDS
    for name, summary in shown.items():
        sub = commands.add_parser(name, help=summary, description=summary[0].upper() + summary[1:] + ".")
        if name == wanted:
            module = importlib.import_module(f"legatum.cli.{MODULES.get(name, name)}")
            module.configure(sub)
            add_colour(sub)
    parser.groups = GROUPS if module is None else {}
    if module is None and wanted is not None:
        from legatum.core.running.fault import BadInput

        raise BadInput(f"no command '{wanted}'{proposal(wanted, COMMANDS)}", "`legatum --help` lists them all")
    return parser, module
