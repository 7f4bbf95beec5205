"""Holds steps of tests about tables."""

import datetime as dt
import io
import zipfile
from xml.sax.saxutils import escape

import xlsxwriter
import xlwt

OFFICE = "urn:oasis:names:tc:opendocument:xmlns:office:1.0"


TABLE = "urn:oasis:names:tc:opendocument:xmlns:table:1.0"


MANIFEST = (
    '<?xml version="1.0" encoding="UTF-8"?>'
    '<manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0" manifest:version="1.2">'
    '<manifest:file-entry manifest:full-path="/" manifest:media-type="application/vnd.oasis.opendocument.spreadsheet"/>'
    '<manifest:file-entry manifest:full-path="content.xml" manifest:media-type="text/xml"/></manifest:manifest>'
)


TEXT = "urn:oasis:names:tc:opendocument:xmlns:text:1.0"


def ods_cell(value, repeated=1):
    """Returns one cell as an office suite writes it."""
    many = f' table:number-columns-repeated="{repeated}"' if repeated > 1 else ""
    if value is None:
        return f"<table:table-cell{many}/>"
    if isinstance(value, bool):
        return f'<table:table-cell office:value-type="boolean" office:boolean-value="{str(value).lower()}"{many}/>'
    if isinstance(value, int | float):
        shown = f"<text:p>{value}</text:p>"
        return f'<table:table-cell office:value-type="float" office:value="{value}"{many}>{shown}</table:table-cell>'
    if isinstance(value, dt.date):
        return f'<table:table-cell office:value-type="date" office:date-value="{value.isoformat()}"{many}/>'
    lines = "".join(f"<text:p>{escape(line)}</text:p>" for line in value.split("\n"))
    return f'<table:table-cell office:value-type="string"{many}>{lines}</table:table-cell>'


def ods(*sheets):
    """Returns a workbook in the OpenDocument format (ISO/IEC 26300): (name, rows) for each
    sheet."""
    body = "".join(
        f'<table:table table:name="{name}">'
        + "".join(
            f"<table:table-row>{''.join(map(ods_cell, row))}</table:table-row>" for row in rows
        )
        + "</table:table>"
        for name, rows in sheets
    )
    content = (
        f'<?xml version="1.0" encoding="UTF-8"?><office:document-content xmlns:office="{OFFICE}"'
        f' xmlns:table="{TABLE}" xmlns:text="{TEXT}" office:version="1.2"><office:body><office:spreadsheet>{body}'
        "</office:spreadsheet></office:body></office:document-content>"
    )
    return packed_ods(content)


def packed_ods(content):
    """Returns the file that the content of an open document makes."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as packed:
        packed.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        packed.writestr("META-INF/manifest.xml", MANIFEST)
        packed.writestr("content.xml", content)
    return out.getvalue()


def xls(*sheets):
    """Returns a workbook in the old binary format: (name, rows) for each sheet."""
    book = xlwt.Workbook()
    day = xlwt.easyxf(num_format_str="YYYY-MM-DD")
    for name, rows in sheets:
        sheet = book.add_sheet(name)
        for number, row in enumerate(rows):
            for column, cell in enumerate(row):
                if cell is not None:
                    sheet.write(number, column, cell, *([day] if isinstance(cell, dt.date) else []))
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def xlsx(*sheets):
    """Returns a workbook: (name, rows) for each sheet."""
    out = io.BytesIO()
    book = xlsxwriter.Workbook(out, {"strings_to_formulas": False})
    day = book.add_format({"num_format": "yyyy-mm-dd"})
    for name, rows in sheets:
        sheet = book.add_worksheet(name)
        for number, row in enumerate(rows):
            for column, cell in enumerate(row):
                if isinstance(cell, dt.date):
                    sheet.write_datetime(number, column, dt.datetime.combine(cell, dt.time()), day)
                elif cell is not None:
                    sheet.write(number, column, cell)
    book.close()
    return out.getvalue()


WORKBOOKS = {".ods": ods, ".xls": xls, ".xlsx": xlsx}
