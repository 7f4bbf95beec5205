"""Describes the firm in tests that issue invoices."""

FIRM = {
    "name": "Quillmoss",
    "vat_number": "IE6433435F",
    "address": {
        "name": "Quillmoss",
        "street": "3 Weir Lane",
        "town": "Fernhollow",
        "postcode": "D04 X1",
        "country": "IE",
    },
}
