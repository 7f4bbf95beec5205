"""Small verbs for tests of pages: signing in, posting a form, what stands beside a field."""

from lxml import html


def sign_in(client, login="owner"):
    answer = client.post("/sign-in", data={"login": login, "password": "a good password"}, follow_redirects=False)
    assert answer.status_code == 303
    page = html.fromstring(client.get("/catalogue/new").text)
    client.csrf = page.cssselect("input[name=csrf]")[0].get("value")
    return client


def post(client, path, /, **fields):
    return client.post(path, data={"csrf": client.csrf, **fields})


def wrong_beside(answer, field):
    page = html.fromstring(answer.text)
    found = page.cssselect(f"#wrong-{field}")
    return found[0].text_content().strip() if found else None
