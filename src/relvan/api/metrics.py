"""Serves the figures that a monitor reads, in the text format of Prometheus, to owners' tokens."""

from fastapi import APIRouter, Depends, Response
from prometheus_client import CONTENT_TYPE_LATEST, CollectorRegistry, Gauge, generate_latest

from relvan.api.desk import By, only_owners
from relvan.services.health import measure, metrics_of

router = APIRouter(dependencies=[Depends(only_owners)])


@router.get("/metrics", include_in_schema=False)
def get_metrics(by: By) -> Response:
    """Returns the figures of this moment."""
    registry = CollectorRegistry()
    for name, (words, value) in metrics_of(measure(by.workplace)).items():
        Gauge(name, words, registry=registry).set(value)
    return Response(generate_latest(registry), media_type=CONTENT_TYPE_LATEST)
