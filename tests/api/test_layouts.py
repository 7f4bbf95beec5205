"""Tests over HTTP which papers ask for their layout."""

V1 = "/api/v1"


def test_papers_that_ask_are_set_over_http(api):
    assert api.put(f"{V1}/asked-papers", json={"asked": ["invoice"]}).json() == {
        "asked": ["invoice"]
    }
    assert api.get(f"{V1}/asked-papers").json() == {"asked": ["invoice"]}
    assert api.put(f"{V1}/asked-papers", json={"asked": ["banner"]}).status_code == 422
