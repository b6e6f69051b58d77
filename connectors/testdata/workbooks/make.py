"""Makes the workbooks of this folder, once; they are kept, not made in each test run.

    python3 make.py            (--ods: the OpenDocument ones alone) needs openpyxl and LibreOffice Calc (Debian: python3-openpyxl, libreoffice-calc-nogui)

`*.openpyxl.xlsx` are written by openpyxl, `*.calc.xlsx` by LibreOffice Calc out of those or of an
OpenDocument sheet, `*.calc.ods` by Calc too, `*.parts.xlsx` are put together here part by part, for what neither of the two
writes. `judged.json` says what openpyxl reads in each: the outside judge of our reading. Firms and
figures are invented.
"""

import datetime
import json
import pathlib
import re
import shutil
import subprocess
import sys
import zipfile

import openpyxl
from openpyxl.chart import BarChart, Reference
from openpyxl.comments import Comment
from openpyxl.formatting.rule import ColorScaleRule, FormulaRule
from openpyxl.styles import Alignment, Font, PatternFill, Protection
from openpyxl.utils import get_column_letter
from openpyxl.workbook.defined_name import DefinedName
from openpyxl.workbook.protection import WorkbookProtection
from openpyxl.worksheet.datavalidation import DataValidation
from openpyxl.worksheet.table import Table, TableStyleInfo

here = pathlib.Path(__file__).parent
day = datetime.date


def stock(rows=5):
    book = openpyxl.Workbook()
    sheet = book.active
    sheet.title = "Stock"
    sheet.append(["Article", "Name", "Net", "Since", "On sale"])
    for at in range(rows):
        sheet.append([f"CL-{at:03}", f"Clay {'äöß'[at % 3]} {at}", 11.4 + at, day(2026, 1 + at % 12, 2), at % 2 == 0])
        sheet.cell(at + 2, 3).number_format = "#,##0.00"
        sheet.cell(at + 2, 4).number_format = "dd.mm.yyyy"
    return book, sheet


def plain():
    return stock()[0]


def chart():
    book, sheet = stock()
    one = BarChart()
    one.add_data(Reference(sheet, min_col=3, min_row=1, max_row=6), titles_from_data=True)
    sheet.add_chart(one, "H2")
    return book


def table():
    book, sheet = stock()
    one = Table(displayName="Articles", ref="A1:E6")
    one.tableStyleInfo = TableStyleInfo(name="TableStyleMedium2", showRowStripes=True)
    sheet.add_table(one)
    return book


def table_with_totals():
    book, sheet = stock()
    one = Table(displayName="Articles", ref="A1:E7", totalsRowCount=1)
    one._initialise_columns()
    for column, name in zip(one.tableColumns, ["Article", "Name", "Net", "Since", "On sale"]):
        column.name = name
    one.tableColumns[2].totalsRowFunction = "sum"
    sheet["A7"] = "Total"
    sheet["C7"] = "=SUBTOTAL(109,Articles[Net])"
    sheet.add_table(one)
    return book


def comments():
    book, sheet = stock()
    sheet["B3"].comment = Comment("Ask the mill before ordering.", "Sam")
    return book


def validations():
    book, sheet = stock()
    one = DataValidation(type="list", formula1='"yes,no"', allow_blank=True)
    one.add("E2:E6")
    sheet.add_data_validation(one)
    other = DataValidation(type="decimal", operator="greaterThan", formula1="0")
    other.add("C2:C6")
    sheet.add_data_validation(other)
    return book


def conditional_formats():
    book, sheet = stock()
    sheet.conditional_formatting.add("C2:C6", ColorScaleRule(start_type="min", start_color="FFFFFF", end_type="max", end_color="AA5500"))
    sheet.conditional_formatting.add("A2:E6", FormulaRule(formula=["$C2>13"], fill=PatternFill("solid", bgColor="FFDDAA")))
    return book


def names_and_print():
    book, sheet = stock()
    book.defined_names.append(DefinedName("Prices", attr_text="Stock!$C$2:$C$6"))
    sheet.print_title_rows = "1:1"
    sheet.print_area = "A1:E6"
    sheet.oddHeader.center.text = "Saltmarsh Kiln Supply"
    sheet.oddFooter.right.text = "Page &P of &N"
    sheet.page_setup.orientation = "landscape"
    sheet.page_margins.left = 0.4
    return book


def protected():
    book, sheet = stock()
    book.security = WorkbookProtection(lockStructure=True)
    sheet.protection.sheet = True
    for row in sheet["B2:B6"]:
        row[0].protection = Protection(locked=False)
    return book


def formulas():
    book, sheet = stock()
    sheet["F1"] = "Gross"
    for at in range(2, 7):
        sheet.cell(at, 6).value = f"=C{at}*1.2"
    return book


def array_formula():
    book, sheet = stock()
    sheet["G1"] = "Twice"
    sheet["G2"] = "=C2:C6*2"
    sheet.formula_attributes["G2"] = {"t": "array", "ref": "G2:G6"}
    return book


def since_1904():
    book, _ = stock()
    book.epoch = openpyxl.utils.datetime.CALENDAR_MAC_1904
    return book


def merged():
    book, sheet = stock()
    sheet.merge_cells("B3:C3")
    return book


def hidden_and_filtered():
    book, sheet = stock()
    sheet.row_dimensions[3].hidden = True
    sheet.column_dimensions["B"].hidden = True
    sheet.auto_filter.ref = "A1:E6"
    sheet.auto_filter.add_filter_column(0, ["CL-000", "CL-002"])
    return book


def right_to_left():
    book, sheet = stock()
    sheet.sheet_view.rightToLeft = True
    sheet["B2"] = "طين"
    return book


def widest():
    book, sheet = stock(2)
    sheet.cell(1, 16384).value = "Last"
    sheet.cell(2, 16384).value = 7
    return book


def empty():
    book = openpyxl.Workbook()
    book.active.title = "Stock"
    return book


def several_tabs():
    book, _ = stock()
    book.create_sheet("Trade & more")["A1"] = "Number"
    one = BarChart()
    one.add_data(Reference(book.active, min_col=3, min_row=1, max_row=6), titles_from_data=True)
    book.create_chartsheet("Chart").add_chart(one)
    last = book.create_sheet("Größen 'x'")
    last.append(["Size", "Weight"])
    last.append(["S", 1.5])
    return book


def styled():
    book, sheet = stock()
    for cell in sheet[1]:
        cell.font = Font(bold=True, color="884422")
        cell.fill = PatternFill("solid", fgColor="EEE4D8")
    for row in range(2, 7):
        sheet.cell(row, 2).alignment = Alignment(wrap_text=True)
        sheet.row_dimensions[row].height = 30
    sheet.freeze_panes = "B2"
    return book


def number_formats():
    book = openpyxl.Workbook()
    sheet = book.active
    sheet.title = "Stock"
    sheet.append(["Share", "Price", "Length", "Moment", "Time", "Code"])
    sheet.append([0.195, 1234.5, datetime.timedelta(hours=26, minutes=30), datetime.datetime(2026, 5, 4, 13, 45, 10), datetime.time(9, 5), "00420"])
    sheet.append([0.07, -12, datetime.timedelta(minutes=5), datetime.datetime(2026, 5, 4), datetime.time(0, 0), "=not"])
    for row in (2, 3):
        for column, code in enumerate(["0.0%", '[$€-407] #,##0.00', "[h]:mm:ss", "yyyy-mm-dd hh:mm:ss", "hh:mm", "@"], 1):
            sheet.cell(row, column).number_format = code
    sheet["F3"].data_type = "s"
    return book


def awkward_texts():
    book = openpyxl.Workbook()
    sheet = book.active
    sheet.title = "Stock"
    sheet.append(["Text", "Errors"])
    for text in ["  led and trailed  ", "two\nlines", "a & b < c > d \"e\" 'f'", "日本の土", "😀 kiln", "_x0041_ is no A"]:
        sheet.append([text])
    for at, error in enumerate(["#REF!", "#N/A", "#DIV/0!"], 2):
        sheet.cell(at, 2).value = error
    return book


MAKERS = [
    plain, chart, table, table_with_totals, comments, validations, conditional_formats, names_and_print, protected,
    formulas, array_formula, since_1904, merged, hidden_and_filtered, right_to_left, widest, empty, several_tabs,
    styled, number_formats, awkward_texts,
]

# Written anew by Calc: other part names, shared strings of its own, rows that are empty, calculated formulas.
BY_CALC = ["chart", "comments", "validations", "conditional_formats", "formulas", "names_and_print", "styled", "array_formula"]

PIVOT = """<?xml version="1.0" encoding="UTF-8"?>
<office:document xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0" office:version="1.2" office:mimetype="application/vnd.oasis.opendocument.spreadsheet">
<office:body><office:spreadsheet>
<table:table table:name="Stock">{rows}</table:table>
<table:table table:name="Sums"><table:table-row><table:table-cell/></table:table-row></table:table>
<table:data-pilot-tables><table:data-pilot-table table:name="Sums" table:target-range-address="Sums.A1:Sums.B6" table:buttons="">
<table:source-cell-range table:cell-range-address="Stock.A1:Stock.B7"/>
<table:data-pilot-field table:source-field-name="Kind" table:orientation="row" table:function="auto"><table:data-pilot-level table:show-empty="false"/></table:data-pilot-field>
<table:data-pilot-field table:source-field-name="Net" table:orientation="data" table:function="sum"><table:data-pilot-level table:show-empty="false"/></table:data-pilot-field>
</table:data-pilot-table></table:data-pilot-tables>
</office:spreadsheet></office:body></office:document>"""


def calc(source, target):
    out = here / ".calc"
    out.mkdir(exist_ok=True)
    kind = pathlib.Path(target).suffix[1:]
    writer = {"xlsx": "xlsx:Calc MS Excel 2007 XML", "ods": "ods:calc8"}[kind]
    subprocess.run(["soffice", "--headless", "--convert-to", writer, "--outdir", str(out), str(source)], check=True, stdout=subprocess.DEVNULL)
    shutil.move(out / f"{source.stem}.{kind}", here / target)
    shutil.rmtree(out)


def pivot():
    cell = lambda kind, value: (
        f'<table:table-cell office:value-type="float" office:value="{value}"><text:p>{value}</text:p></table:table-cell>'
        if kind == "float"
        else f'<table:table-cell office:value-type="string"><text:p>{value}</text:p></table:table-cell>'
    )
    rows = [("Kind", "Net")] + [(("clay", "glaze", "tool")[at % 3], 10 + at) for at in range(6)]
    xml = "".join(
        "<table:table-row>" + cell("string", kind) + cell("float" if isinstance(net, int) else "string", net) + "</table:table-row>"
        for kind, net in rows
    )
    source = here / "pivot.fods"
    source.write_text(PIVOT.format(rows=xml))
    calc(source, "pivot.calc.xlsx")
    source.unlink()


# --- put together part by part -------------------------------------------------------------------

TYPES = "application/vnd.openxmlformats-officedocument.spreadsheetml."
MAIN = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
REL = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
STRICT = "http://purl.oclc.org/ooxml/spreadsheetml/main"
STRICT_REL = "http://purl.oclc.org/ooxml/officeDocument/relationships"
HEAD = '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n'
ROWS = (
    '<sheetData><row r="1" spans="1:2"><c r="A1" t="inlineStr"><is><t>Article</t></is></c><c r="B1" t="inlineStr"><is><t>Net</t></is></c></row>'
    '<row r="2" spans="1:2"><c r="A2" t="inlineStr"><is><t>clay</t></is></c><c r="B2"><v>11.4</v></c></row>'
    '<row r="3" spans="1:2"><c r="A3" t="inlineStr"><is><t>glaze</t></is></c><c r="B3"><v>7</v></c></row></sheetData>'
)


def package(name, sheet, main=MAIN, rel=REL, extra=(), book="", sheet_rels="", root_target="xl/workbook.xml", sheet_target="worksheets/sheet1.xml", main_type="sheet.main+xml", book_xml=None):
    parts = {
        "[Content_Types].xml": HEAD
        + '<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Default Extension="bin" ContentType="application/vnd.ms-office.vbaProject"/>'
        + f'<Override PartName="/xl/workbook.xml" ContentType="{"application/vnd.ms-excel.sheet.macroEnabled.main+xml" if main_type == "macro" else TYPES + main_type}"/><Override PartName="/xl/worksheets/sheet1.xml" ContentType="{TYPES}worksheet+xml"/>'
        + "".join(f'<Override PartName="/{part}" ContentType="{kind}"/>' for part, kind, _ in extra if kind)
        + "</Types>",
        "_rels/.rels": HEAD
        + f'<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="{rel}/officeDocument" Target="{root_target}"/></Relationships>',
        "xl/workbook.xml": HEAD
        + (book_xml or f'<workbook xmlns="{main}" xmlns:r="{rel}"><sheets><sheet name="Stock" sheetId="1" r:id="rId1"/></sheets>{book}</workbook>'),
        "xl/_rels/workbook.xml.rels": HEAD
        + f'<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="{rel}/worksheet" Target="{sheet_target}"/>'
        + "".join(f'<Relationship Id="rId{9 + at}" Type="{REL}/{part.split("/")[-1].split(".")[0].rstrip("0123456789")}" Target="/{part}"/>' for at, (part, kind, _) in enumerate(extra) if part.startswith("xl/") and part.count("/") == 1)
        + "</Relationships>",
        "xl/worksheets/sheet1.xml": HEAD + sheet,
    }
    if sheet_rels:
        parts["xl/worksheets/_rels/sheet1.xml.rels"] = HEAD + f'<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">{sheet_rels}</Relationships>'
    for part, _, content in extra:
        parts[part] = content
    with zipfile.ZipFile(here / name, "w", zipfile.ZIP_DEFLATED) as file:
        for part, content in parts.items():
            file.writestr(zipfile.ZipInfo(part, (2026, 1, 2, 3, 4, 6)), content, zipfile.ZIP_DEFLATED)


def by_parts():
    sheet = lambda rest="", data=ROWS, ns="": f'<worksheet xmlns="{MAIN}" xmlns:r="{REL}"{ns}><dimension ref="A1:B3"/>{data}{rest}</worksheet>'
    strict = f'<worksheet xmlns="{STRICT}"><sheetData><row r="1"><c r="A1" t="inlineStr"><is><t>Article</t></is></c><c r="B1" t="inlineStr"><is><t>Since</t></is></c></row><row r="2"><c r="A2" t="inlineStr"><is><t>clay</t></is></c><c r="B2" t="d"><v>2026-03-04</v></c></row></sheetData></worksheet>'
    package("strict.parts.xlsx", strict, STRICT, STRICT_REL)
    package("absolute_names.parts.xlsx", sheet(), root_target="/xl/workbook.xml", sheet_target="/xl/worksheets/sheet1.xml")
    prefixed = re.sub(r"<(/?)(\w)", r"<\1x:\2", f"<worksheet>{ROWS}</worksheet>").replace("<x:worksheet>", f'<x:worksheet xmlns:x="{MAIN}">')
    package("prefixed.parts.xlsx", prefixed, book_xml=f'<x:workbook xmlns:x="{MAIN}" xmlns:rel="{REL}"><x:sheets><x:sheet name="Stock" sheetId="1" rel:id="rId1"/></x:sheets></x:workbook>')
    package("macros.parts.xlsm", sheet(), main_type="macro", extra=[("xl/vbaProject.bin", "", b"\xd0\xcf\x11\xe0 not a real macro project " + bytes(range(256)))])
    x14 = (
        '<extLst><ext uri="{78C0D931-6437-407d-A8EE-F0AAD7539E65}" xmlns:x14="http://schemas.microsoft.com/office/spreadsheetml/2009/9/main"><x14:conditionalFormattings><x14:conditionalFormatting xmlns:xm="http://schemas.microsoft.com/office/excel/2006/main"><x14:cfRule type="dataBar" id="{00000000-0000-0000-0000-000000000001}"><x14:dataBar><x14:cfvo type="autoMin"/><x14:cfvo type="autoMax"/></x14:dataBar></x14:cfRule><xm:sqref>B2:B3</xm:sqref></x14:conditionalFormatting></x14:conditionalFormattings></ext>'
        '<ext uri="{05C60535-1F16-4fd2-B633-F4F36F0B64E0}" xmlns:x14="http://schemas.microsoft.com/office/spreadsheetml/2009/9/main"><x14:sparklineGroups xmlns:xm="http://schemas.microsoft.com/office/excel/2006/main"><x14:sparklineGroup><x14:sparklines><x14:sparkline><xm:f>Stock!B2:B3</xm:f><xm:sqref>D2</xm:sqref></x14:sparkline></x14:sparklines></x14:sparklineGroup></x14:sparklineGroups></ext></extLst>'
    )
    package("sparklines_and_x14.parts.xlsx", sheet(x14))
    threaded = '<ThreadedComments xmlns="http://schemas.microsoft.com/office/spreadsheetml/2018/threadedcomments"><threadedComment ref="A2" dT="2026-01-02T10:00:00.00" personId="{00000000-0000-0000-0000-00000000000A}" id="{00000000-0000-0000-0000-00000000000B}"><text>Ask the mill.</text></threadedComment></ThreadedComments>'
    package(
        "threaded_comments.parts.xlsx",
        sheet(),
        extra=[("xl/threadedComments/threadedComment1.xml", "application/vnd.ms-excel.threadedcomments+xml", threaded)],
        sheet_rels='<Relationship Id="rId1" Type="http://schemas.microsoft.com/office/2017/10/relationships/threadedComment" Target="../threadedComments/threadedComment1.xml"/>',
    )
    phonetic = (
        f'<sst xmlns="{MAIN}" count="4" uniqueCount="4"><si><t>Article</t></si><si><t>Net</t></si>'
        '<si><t>粘土</t><rPh sb="0" eb="2"><t>ネンド</t></rPh><phoneticPr fontId="1"/></si>'
        '<si><r><rPr><b/></rPr><t xml:space="preserve">fire </t></r><r><t>clay_x000D_</t></r></si></sst>'
    )
    shared = '<sheetData><row r="1"><c r="A1" t="s"><v>0</v></c><c r="B1" t="s"><v>1</v></c></row><row r="2"><c r="A2" t="s"><v>2</v></c><c r="B2"><v>1</v></c></row><row r="3"><c r="A3" t="s"><v>3</v></c><c r="B3"><v>2</v></c></row></sheetData>'
    package("phonetic_and_rich.parts.xlsx", sheet(data=shared), extra=[("xl/sharedStrings.xml", TYPES + "sharedStrings+xml", phonetic)])
    formulas = '<sheetData><row r="1"><c r="A1" t="inlineStr"><is><t>Net</t></is></c><c r="B1" t="inlineStr"><is><t>Gross</t></is></c></row><row r="2"><c r="A2"><v>10</v></c><c r="B2"><f t="shared" ref="B2:B4" si="0">A2*1.2</f><v>12</v></c></row><row r="3"><c r="A3"><v>20</v></c><c r="B3"><f t="shared" si="0"/><v>24</v></c></row><row r="4"><c r="A4"><v>30</v></c><c r="B4"><f t="shared" si="0"/><v>36</v></c></row></sheetData>'
    calc_chain = f'<calcChain xmlns="{MAIN}"><c r="B2" i="1"/><c r="B3" i="1"/><c r="B4" i="1"/></calcChain>'
    package("shared_formulas.parts.xlsx", sheet(data=formulas), extra=[("xl/calcChain.xml", TYPES + "calcChain+xml", calc_chain)], book='<definedNames><definedName name="Rate">1.2</definedName></definedNames>')
    bare = '<sheetData><row><c t="inlineStr"><is><t>Article</t></is></c><c t="inlineStr"><is><t>Net</t></is></c></row><row><c t="inlineStr"><is><t>clay</t></is></c><c><v>5</v></c></row></sheetData>'
    package("without_references.parts.xlsx", sheet(data=bare))
    quoted = ROWS.replace('<row r="3"', "<!-- a row > that <row r='99'> was --><row ht='15' customHeight='1' r=\"3\"").replace("glaze", "<![CDATA[a <b> & c]]>")
    package("comments_in_xml.parts.xlsx", sheet(data=quoted))


def value(cell):
    if cell is None:
        return None
    if isinstance(cell, datetime.datetime):
        return cell.strftime("%Y-%m-%d") if cell.time() == datetime.time() else cell.isoformat()
    if isinstance(cell, datetime.timedelta):
        seconds = round(cell.total_seconds())
        return f"{seconds // 3600:02}:{seconds // 60 % 60:02}:{seconds % 60:02}"
    return cell.isoformat() if isinstance(cell, (datetime.date, datetime.time)) else cell


def judge(path):
    book = openpyxl.load_workbook(path, data_only=True)
    sheets = {}
    for sheet in book.worksheets:
        cells = {}
        for row in sheet.iter_rows():
            for cell in row:
                if cell.value is not None:
                    cells[f"{get_column_letter(cell.column)}{cell.row}"] = value(cell.value)
        sheets[sheet.title] = cells
    return sheets


def open_documents():
    """OpenDocument spreadsheets as Calc writes them; each is judged by what openpyxl reads in Calc's own .xlsx of it."""
    judged = {}
    for name in OPEN_DOCUMENTS:
        calc(here / f"{name}.openpyxl.xlsx", f"{name}.calc.ods")
        calc(here / f"{name}.calc.ods", ".judged.xlsx")
        judged[f"{name}.calc.ods"] = judge(here / ".judged.xlsx")
        (here / ".judged.xlsx").unlink()
    (here / "judged_ods.json").write_text(json.dumps(judged, ensure_ascii=False, indent=1, sort_keys=True) + "\n")


OPEN_DOCUMENTS = ["plain", "formulas", "array_formula", "merged", "comments", "hidden_and_filtered", "number_formats", "awkward_texts", "several_tabs", "right_to_left", "widest", "empty", "since_1904", "validations"]


def main():
    if sys.argv[1:] == ["--ods"]:
        return open_documents()
    for maker in MAKERS:
        book = maker()
        book.properties.created = book.properties.modified = datetime.datetime(2026, 1, 2, 3, 4, 5)
        book.save(here / f"{maker.__name__}.openpyxl.xlsx")
    for name in BY_CALC:
        calc(here / f"{name}.openpyxl.xlsx", f"{name}.calc.xlsx")
    pivot()
    by_parts()
    open_documents()
    judged = {}
    for path in sorted(here.glob("*.xls[xm]")):
        try:
            judged[path.name] = judge(path)
        except Exception as error:  # what the judge itself can't read is left to Calc
            print(path.name, "isn't judged:", error)
    (here / "judged.json").write_text(json.dumps(judged, ensure_ascii=False, indent=1, sort_keys=True) + "\n")
    print(len(judged), "workbooks; openpyxl", openpyxl.__version__, "python", sys.version.split()[0])


main()
