"""Receives webhooks: a store tells of an order, signed as the Standard Webhooks specification says."""

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse
from starlette.concurrency import run_in_threadpool

from relvan.core.refusal import refuse
from relvan.services.orders.read import take_webhook
from relvan.services.workplace import Workplace

router = APIRouter()
MOST_BYTES = 1_000_000


@router.post("/hooks/{channel}", name="hook_take")
async def hook_take(channel: str, request: Request) -> JSONResponse:
    """Takes an order from a signed webhook. An order that is told twice is taken once."""
    body = b""
    async for chunk in request.stream():
        body += chunk
        if len(body) > MOST_BYTES:
            raise refuse("too-large", "A webhook has at most 1 MB.", "Send the order alone.")
    workplace: Workplace = request.app.state.workplace
    headers = {
        name: value for name, value in request.headers.items() if name.startswith("webhook-")
    }
    number = await run_in_threadpool(take_webhook, workplace, channel, headers, body)
    return JSONResponse({"order": number})
