"""Serves Setup of devices: the scale on the packing bench, and a test of the label printer."""

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.refusal import Refused
from relvan.documents.label_test import label_test_pdf
from relvan.documents.paper import written_moment
from relvan.services.packing.parcels import weigh
from relvan.services.setup.firm import change_firm
from relvan.web.desk import AtSetup, Desk, Form, last_try

router = APIRouter(prefix="/setup/devices")
BACK = "/setup/devices"


def _devices_page(
    desk: Desk,
    *,
    status: int = 200,
    typed: dict[str, str] | None = None,
    refused: Refused | None = None,
) -> HTMLResponse:
    workplace = desk.workplace
    return desk.page(
        "setup/devices.html",
        "setup",
        status=status,
        scale=workplace.firm.scale,
        **last_try(typed, refused),
    )


@router.get("", name="device_index")
def device_index(desk: AtSetup) -> HTMLResponse:
    """Shows the devices."""
    return _devices_page(desk)


@router.post("/scale", name="scale_save")
def scale_save(desk: AtSetup, form: Form) -> Response:
    """Saves where the scale answers."""
    try:
        change_firm(desk.workplace, desk.actor, {"scale": form.get("scale", "")})
    except Refused as refused:
        return _devices_page(desk, status=422, typed=dict(form), refused=refused)
    return desk.done(BACK, "The scale is saved.")


@router.post("/scale/test", name="scale_test")
def scale_test(desk: AtSetup, form: Form) -> Response:
    """Asks the scale for the weight on it."""
    try:
        grams = weigh(desk.workplace, desk.actor)
    except Refused as refused:
        return desk.done(BACK, f"The scale gives no weight: {refused.first.message}", tone="look")
    return desk.done(BACK, f"The scale answers: {grams:,} g lie on it.")


@router.get("/label-test.pdf", name="label_test")
def label_test(desk: AtSetup) -> Response:
    """Returns the page by which a label printer is tested."""
    firm = desk.workplace.firm
    moment = written_moment(desk.workplace.now(), firm.locale, firm.time_zone)
    content = label_test_pdf(firm.name, moment)
    return Response(content, media_type="application/pdf")
