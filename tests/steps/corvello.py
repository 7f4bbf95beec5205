"""Holds steps of tests about Corvello."""

from relvan.core.catalogue.identity import gtin_check_digit


def gtin(number):
    body = f"40{number:010d}"
    return body + gtin_check_digit(body)


def put_pages(world, *pages):
    told = [{"title": title, "maker": "Quillmoss", "gtin": code} for title, code in pages]
    return world.client.post("/world/corvello/pages", json={"pages": told}).json()["pages"]
