"""``legatum worker``"""

import argparse
from pathlib import Path

from legatum.cli.program.common import OK, add_common, note, run_interruptibly
from legatum.cli.program.parser import number


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--scheduler", required=True, metavar="PLACE", help="tls://HOST:PORT, or on this machine tcp://127.0.0.1:PORT"
    )
    parser.add_argument(
        "--name",
        metavar="NAME",
        help="what it is called: the viewpoint that it looks from (default: the machine's name)",
    )
    parser.add_argument("--authority", metavar="FILE", default="", help="the certificates that all parts trust")
    parser.add_argument("--certificate", metavar="FILE", default="", help="this machine's certificate")
    parser.add_argument("--key", metavar="FILE", default="", help="and its key")
    parser.add_argument(
        "--threads",
        type=number(1, 64),
        default=2,
        metavar="N",
        help="parts of lists that are worked on side by side (default: 2)",
    )
    add_common(parser, settings=False)


def run(args: argparse.Namespace) -> int:
    import socket
    import tempfile

    from legatum.net.engine import Hub, serve

    name = args.name or socket.gethostname()
    hub = Hub(args.scheduler, args.authority, args.certificate, args.key)

    async def work() -> int:
        with tempfile.TemporaryDirectory(prefix="legatum-worker-") as folder:
            await serve(
                hub,
                name,
                args.threads,
                Path(folder),
                lambda address: note(args, f"{name} looks from {address}; end it: Ctrl-C"),
            )
        note(args, "the scheduler is gone, and so is this worker")
        return OK

    return run_interruptibly(work())
