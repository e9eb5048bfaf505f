"""What links and compounds of a site of the store may lead to."""

from __future__ import annotations

from sqlalchemy.orm import Session

from lantern.core.linking.leads import Names
from lantern.links.tables import CompoundRow, MessageRow, rows_of, timetables_of
from lantern.register.tables import devices_of_site, inputs_of, outputs_of
from lantern.tune.tables import detectors_of_site


def names_on(session: Session, site_id: int) -> Names:
    return Names(
        detectors={row.name for row in detectors_of_site(session, site_id, retired=True)},
        inputs={each.name for _, each in inputs_of(session, site_id)},
        compounds={row.name for row in rows_of(session, CompoundRow, site_id)},
        timetables={row.name for row in timetables_of(session, site_id)},
        messages={row.name for row in rows_of(session, MessageRow, site_id)},
        outputs={output.name: output for _, output in outputs_of(session, site_id)},
        kinds={row.code: row.kind for row in devices_of_site(session, site_id, retired=True)},
    )
