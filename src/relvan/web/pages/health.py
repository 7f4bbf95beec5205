"""Serves Setup's page of the installation's health."""

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from relvan.core.setup.health import HealthState
from relvan.services.health import health_of
from relvan.web.desk import AtSetup

router = APIRouter(prefix="/setup/health")


@router.get("", name="health_show")
def health_show(desk: AtSetup) -> HTMLResponse:
    """Shows how each part is, and what to do."""
    lines = health_of(desk.workplace)
    unwell = [line for line in lines if line.state != HealthState.WELL]
    return desk.page("setup/health.html", "setup", lines=lines, unwell=unwell)
