"""Every call against the API's own description: a fuzzer makes calls from it, right and wrong ones,
and compares each answer with what the description promises: status, media type, shape and
headers."""

import pytest
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from schemathesis.specs.openapi.checks import positive_data_acceptance

from tests.house import add_pot, receive

V1 = "/api/v1"
EXAMPLES = 3  # a call; the seed is fixed
# A call that fits its shape may still be refused with 422, for a SKU that the catalogue does not
# have, say.
BEYOND_SHAPES = [positive_data_acceptance]


@pytest.fixture
def described(api, workplace, owner):
    add_pot(workplace, owner, "PT-14")
    receive(workplace, owner, "PT-14", 8)
    return schemathesis.openapi.from_asgi("/api/openapi.json", api.app)


def test_no_answer_differs_from_what_the_description_says(described, api):
    headers = {"Authorization": api.headers["Authorization"]}
    found, calls = {}, 0
    for offered in described.get_all_operations():
        operation = offered.ok()
        calls += 1

        @given(operation.as_strategy())
        @settings(
            max_examples=EXAMPLES,
            derandomize=True,
            phases=[Phase.generate],
            suppress_health_check=list(HealthCheck),
            deadline=None,
            database=None,
        )
        def call(case):
            case.call_and_validate(headers=headers, excluded_checks=BEYOND_SHAPES)

        try:
            call()
        except Exception as error:
            found[operation.label] = str(error)[:1000]
    assert calls > 100
    assert not found, "\n\n".join(f"{label}: {words}" for label, words in found.items())


def test_every_error_stands_in_the_description_as_problem_json(api):
    document = api.get("/api/openapi.json").json()
    for path, calls in document["paths"].items():
        for method, call in calls.items():
            statuses = {401, 403, 422, 500, 503, *((404,) if "{" in path else ())}
            statuses |= {400, 404, 409, 413} if method != "get" else set()
            assert statuses <= {int(status) for status in call["responses"]}, (method, path)
    for answer in document["components"]["responses"].values():
        assert list(answer["content"]) == ["application/problem+json"]
    refused = api.get(f"{V1}/products/NONE")
    assert refused.headers["content-type"] == "application/problem+json"
    assert (
        refused.json().keys() == document["components"]["schemas"]["Problem"]["properties"].keys()
    )


def test_a_name_that_a_call_does_not_know_is_refused_and_not_left_aside(api):
    refused = api.get(f"{V1}/orders?trey=inbox")
    assert (refused.status_code, refused.json()["code"]) == (422, "unknown")
    assert "tray" in refused.json()["fix"]
    assert api.get(f"{V1}/orders?tray=inbox&limit=5&after=").status_code == 200
    refused = api.get(f"{V1}/listings?state=asleep")
    assert (refused.status_code, refused.json()["code"]) == (422, "not-allowed")
