"""Puts the API together."""

from typing import Any

from fastapi import FastAPI
from fastapi.responses import HTMLResponse

from relvan.api import (
    backups,
    bench,
    carriage,
    carriers,
    catalogue,
    channels,
    customers,
    disconnect,
    dispatch,
    earned,
    families,
    findings,
    firm,
    goods_in,
    hooks,
    imports,
    inserts,
    invoices,
    jobs,
    labels,
    layouts,
    listing_work,
    listings,
    mail,
    mail_texts,
    metrics,
    move_in,
    order_desk,
    orders,
    parcels,
    people,
    prices,
    rates,
    returns,
    setup,
    stock,
    stockroom,
    tax,
    trays,
    updates,
    warehouses,
    webhooks,
)
from relvan.api.description import describe
from relvan.api.docs import api_page
from relvan.api.methods import one_router

MODULES = (
    backups,
    carriage,
    carriers,
    imports,
    inserts,
    setup,
    families,
    goods_in,
    catalogue,
    stockroom,
    stock,
    channels,
    disconnect,
    listing_work,
    findings,
    firm,
    warehouses,
    people,
    mail,
    mail_texts,
    move_in,
    tax,
    listings,
    rates,
    earned,
    returns,
    prices,
    updates,
    webhooks,
    jobs,
    order_desk,
    orders,
    customers,
    invoices,
    trays,
    bench,
    dispatch,
    labels,
    layouts,
    parcels,
)


def add_api(app: FastAPI) -> None:
    """Adds every call of the API, its description, and the calls that receive webhooks."""
    app.include_router(one_router(module.router for module in MODULES), prefix="/api/v1")
    app.include_router(hooks.router, include_in_schema=False)
    app.include_router(metrics.router, include_in_schema=False)

    @app.get("/api/docs", include_in_schema=False)
    def api_docs() -> HTMLResponse:
        """Returns the page on which every call stands."""
        return api_page()

    def openapi() -> dict[str, Any]:
        return describe(app)

    app.openapi = openapi  # type: ignore[method-assign]
