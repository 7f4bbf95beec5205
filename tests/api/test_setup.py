"""Tests categories, attributes and price lists over HTTP."""

from tests.caller import GOOD, problem

V1 = "/api/v1"


def test_categories_attributes_and_price_lists(api):
    assert (
        api.post(f"{V1}/attributes", json={"name": "Frost-proof", "kind": "yes/no"}).status_code
        == 201
    )
    assert (
        api.post(
            f"{V1}/categories", json={"path": "Pots", "asks": {"Frost-proof": True}}
        ).status_code
        == 201
    )
    assert (
        api.post(
            f"{V1}/price-lists", json={"key": "chf", "name": "Francs", "currency": "CHF"}
        ).status_code
        == 201
    )
    body = {
        **GOOD,
        "attributes": {"frost-proof": True},
        "prices": {"chf": {"amount": 900, "currency": "CHF"}},
    }
    made = api.post(f"{V1}/products", json=body).json()
    assert made["attributes"] == {"Frost-proof": "yes"}
    wrong = {
        **GOOD,
        "sku": "X",
        "gtin": None,
        "prices": {"chf": {"amount": 900, "currency": "EUR"}},
    }
    assert problem(api.post(f"{V1}/products", json=wrong), 422)["code"] == "currency"
    assert (
        problem(api.post(f"{V1}/attributes", json={"name": "A", "kind": "colour"}), 422)["code"]
        == "not-allowed"
    )
    assert problem(api.post(f"{V1}/categories", json={"path": "Pots", "asks": {"None": True}}), 404)
    cells = {
        "cells": [
            {"sku": "PT-14", "price": "11.50"},
            {"sku": "PT-14", "price": "10.50", "least": 10},
        ]
    }
    assert api.post(f"{V1}/price-lists/chf/prices", json=cells).json()["items"][0]["ok"]
    told = api.get(f"{V1}/products/PT-14").json()
    assert told["breaks"]["chf"]["10"] == {"amount": 1050, "currency": "CHF"}
    assert api.get(f"{V1}/categories").json()["items"][0]["products"] == 1
    assert api.delete(f"{V1}/attributes/Frost-proof").status_code == 200
    assert problem(api.delete(f"{V1}/categories/Pots"), 409)["code"] == "in-use"
