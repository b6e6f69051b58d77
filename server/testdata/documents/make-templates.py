"""Makes the templates of the tests by python-docx (Debian's python3-docx), as a business would write them.

Their placeholders are cut into runs of several formats in places, as writing programs leave them.
"""
from pathlib import Path

from docx import Document
from docx.shared import Pt

here = Path(__file__).parent


def note():
    document = Document()
    section = document.sections[0]
    section.header.paragraphs[0].text = "Saltmarsh Kiln Supply · {number}"
    section.footer.paragraphs[0].text = "For {customer.name}"
    document.add_heading("Delivery note {number}", level=1)
    paragraph = document.add_paragraph("Dear ")
    # As after a correction in the middle of a name.
    for piece, is_bold in [("{cust", False), ("omer.n", True), ("ame}", False)]:
        run = paragraph.add_run(piece)
        run.bold = is_bold
    paragraph.add_run(",")
    document.add_paragraph("{#if remark}")
    document.add_paragraph("Please note: {remark}")
    document.add_paragraph("{/}")
    table = document.add_table(rows=1, cols=3)
    table.style = "Table Grid"
    for cell, text in zip(table.rows[0].cells, ["Item", "Number", "Net"]):
        cell.text = text
        cell.paragraphs[0].runs[0].font.size = Pt(9)
    for cell, text in zip(table.add_row().cells, ["{#lines}{description}", "{quantity}", "{net}{/lines}"]):
        cell.text = text
    document.add_paragraph("Total {total}")
    document.core_properties.author = "Saltmarsh Kiln Supply"
    document.save(here / "delivery-note.docx")


def wrong(name, *paragraphs):
    document = Document()
    for text in paragraphs:
        document.add_paragraph(text)
    document.save(here / name)


note()
wrong("unclosed.docx", "Note {number", "for you")
wrong("no-end.docx", "{#lines}", "{description}")
wrong("other-end.docx", "{#lines}{description}{/items}")
