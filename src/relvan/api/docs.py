"""The page at /api/docs: every call, made from the OpenAPI description, without anything fetched from elsewhere."""

from html import escape
from typing import Any


def api_page(description: dict[str, Any], style: list[str]) -> str:
    """Plain HTML: calls by path, with their parameters and bodies."""
    parts = []
    for path, methods in sorted(description["paths"].items()):
        for method, call in methods.items():
            parameters = ", ".join(p["name"] for p in call.get("parameters", []) if p["in"] == "query")
            takes = _body(call)
            parts.append(
                f"<tr><td class='nowrap code'>{method.upper()}</td><td class='code'>{escape(path)}"
                f"{escape('?' + parameters) if parameters else ''}</td><td>{escape(call.get('description', ''))}"
                f"{'<br><span class=soft>takes ' + escape(takes) + '</span>' if takes else ''}</td></tr>"
            )
    links = "".join(f'<link rel="stylesheet" href="{escape(address)}">' for address in style)
    return (
        f'<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Relvan API</title>{links}</head><body>'
        "<main><h1>Relvan API</h1><p class='mt'>JSON over HTTP with a bearer token. The machine-readable description "
        "is at <a href='/api/openapi.json'>/api/openapi.json</a>.</p><div class='sheet'><table class='rows'><thead>"
        f"<tr><th>Method</th><th>Path</th><th>What</th></tr></thead><tbody>{''.join(parts)}</tbody></table></div>"
        "</main></body></html>"
    )


def _body(call: dict[str, Any]) -> str:
    for kind in call.get("requestBody", {}).get("content", {}).values():
        reference = str(kind.get("schema", {}).get("$ref", ""))
        return reference.rpartition("/")[2]
    return ""
