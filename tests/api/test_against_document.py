"""Tests every call against the API's own description: a fuzzer makes calls from it, right and wrong
ones, and compares each answer with what the description promises: status, media type, shape and
headers."""

import pytest
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from schemathesis import GenerationMode

from tests.house import add_pot, receive

V1 = "/api/v1"
# so many examples of a call; the seed is fixed
EXAMPLES = {GenerationMode.POSITIVE: 2, GenerationMode.NEGATIVE: 1}
METHODS = ("GET", "POST", "PATCH", "DELETE")


@pytest.fixture
def described(api, workplace, owner):
    add_pot(workplace, owner, "PT-14")
    receive(workplace, owner, "PT-14", 8)
    return schemathesis.openapi.from_asgi("/api/openapi.json", api.app)


@pytest.mark.parametrize("mode", EXAMPLES, ids=["calls that fit", "calls that do not fit"])
def test_no_answer_differs_from_what_the_description_says(described, api, mode):
    headers = {"Authorization": api.headers["Authorization"]}
    found, calls = {}, 0
    for offered in described.get_all_operations():
        operation = offered.ok()
        calls += 1

        @given(operation.as_strategy(generation_mode=mode))
        @settings(
            max_examples=EXAMPLES[mode],
            derandomize=True,
            phases=[Phase.generate],
            suppress_health_check=list(HealthCheck),
            deadline=None,
            database=None,
        )
        def call(case):
            case.call_and_validate(headers=headers)

        try:
            call()
        except Exception as error:
            found[operation.label] = str(error)[:1000]
    assert calls > 100
    assert not found, "\n\n".join(f"{label}: {words}" for label, words in found.items())


def test_a_method_that_a_path_does_not_have_is_refused_by_all_that_it_has(api):
    for path, calls in api.get("/api/openapi.json").json()["paths"].items():
        has = {method.upper() for method in calls}
        address = path.replace("{job_id}", "1").replace("{", "").replace("}", "")
        for method in set(METHODS) - has:
            answer = api.request(method, address)
            assert answer.status_code == 405, (method, path)
            assert set(answer.headers["allow"].split(", ")) == has, (method, path)


def test_every_call_is_reached_by_its_own_path(api):
    document = api.get("/api/openapi.json").json()["paths"]
    missing = {
        (method, path)
        for path, calls in document.items()
        for method in calls
        if api.request(method.upper(), path.replace("{", "").replace("}", "")).status_code == 405
    }
    assert not missing


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


def test_a_name_that_is_in_the_address_twice_is_refused_where_one_is_taken(api):
    refused = api.get(f"{V1}/findings?after=7&after=")
    assert (refused.status_code, refused.json()["code"]) == (422, "repeated")
    assert "2 times" in refused.json()["detail"]
