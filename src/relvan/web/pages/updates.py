"""Updates: what each channel is still to be told, how late it hears of sales, what it refused."""

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from relvan.services.channels.delivery import deliveries
from relvan.web.desk import At

router = APIRouter(prefix="/updates")


@router.get("", name="update_index")
def update_index(desk: At) -> HTMLResponse:
    """Every channel with its state, what waits, its pulse, what it refused; pause and resume."""
    with desk.workplace.database.reading() as session:
        return desk.page("updates/index.html", "today", found=deliveries(session, desk.workplace))
