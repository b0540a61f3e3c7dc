"""``legatum registration``: the registrar's side of domains. One file for each kind of action beside this one."""

import argparse

from legatum.cli.program.common import add_changing, add_common
from legatum.cli.registration import account, nameservers, shown, statuses, term, transfer

_KINDS = (shown, nameservers, statuses, term, transfer, account)


def configure(parser: argparse.ArgumentParser) -> None:
    actions = parser.add_subparsers(dest="action", required=True, metavar="ACTION")
    for kind in _KINDS:
        for action, changes in kind.configure(actions):
            if changes:
                add_changing(action)
            add_common(action)
            action.set_defaults(carry_out=kind.run)


def run(args: argparse.Namespace) -> int:
    status: int = args.carry_out(args)
    return status
