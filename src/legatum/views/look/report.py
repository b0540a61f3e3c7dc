"""A survey as one HTML file for the customer's ticket: verdict, the delegation drawn, findings, tables. No outside
parts, no script."""

from collections.abc import Sequence
from pathlib import Path

from legatum.core.calendar.instant import for_people
from legatum.core.observation.observation import Observation
from legatum.net.file import write_whole
from legatum.views.look.chain_drawing import draw_chain
from legatum.views.look.drawing import draw_delegation, draw_narrow
from legatum.views.look.survey import SurveyDocument
from legatum.views.look.visit import service_rows
from legatum.views.page import render


def report_text(surveys: Sequence[tuple[SurveyDocument, Observation]]) -> str:
    """The page. Everything from the network is escaped, control characters are spelt out."""
    drawn = [
        (
            document,
            draw_delegation(document, observation),
            draw_narrow(document, observation),
            draw_chain(document.chain),
            service_rows(document.service) if document.service is not None else [],
        )
        for document, observation in surveys
    ]
    return render("report.html", surveys=drawn)


def write_report(path: Path, surveys: Sequence[tuple[SurveyDocument, Observation]]) -> None:
    """Raises as :func:`~legatum.net.file.write_whole`."""
    write_whole(path, for_people(report_text(surveys)))
