#!/usr/bin/env bash
# Makes the books of sheets that the tests read, as another program saves them: needs LibreOffice (soffice).
set -euo pipefail
books="$(cd "$(dirname "$0")/.." && pwd)/crates/granum/tests/books"
work="$(mktemp -d)"
trap 'rm -rf "$work"' EXIT
cat > "$work/orders.csv" <<'CSV'
order_no,ordered_on,sent_at,net,paid,customer_no
M1,2026-03-01,2026-03-02 08:15:00,12.50,TRUE,00417
M2,2026-03-02,2026-03-02 00:00:00,1234.05,FALSE,00009
M3,2026-03-31,,-3.00,TRUE,
M4,2026-04-01,2026-04-02 17:59:30,=NA(),TRUE,00417
CSV
for kind in xlsx ods xls; do
  # Commas between cells, UTF-8, customer_no as text, formulas worked.
  soffice -env:UserInstallation="file://$work/profile" --headless --convert-to "$kind" --outdir "$work" \
    --infilter='CSV:44,34,76,1,6/2,,false,true,false,false,false,-1' "$work/orders.csv" > "$work/log" 2>&1
  # It names the sheet behind the file: orders-orders.
  mv "$work"/orders*."$kind" "$books/orders.$kind"
done

# One with what people and other programs leave in sheets, written by hand: a title, an error, a merged cell, a formula
# that nobody worked, a note, a total.
python3 - "$books/odd.xlsx" <<'PY'
import sys, zipfile

def text(at, words):
    return f'<c r="{at}" t="inlineStr"><is><t>{words}</t></is></c>'

def number(at, value, style=0):
    return f'<c r="{at}" s="{style}"><v>{value}</v></c>'

rows = [
    (1, text("A1", "Orders of May")),
    (3, "".join(text(at, words) for at, words in zip(("A3", "B3", "C3", "D3"), ("order_no", "ordered_on", "net", "note")))),
    (4, text("A4", "M1") + number("B4", 46143, 1) + number("C4", 19.99) + text("D4", "x")),
    (5, text("A5", "M2") + number("B5", 46144.4375, 1) + '<c r="C5" t="e"><v>#N/A</v></c>'),
    (6, text("A6", "M3") + number("B6", 46145, 1) + "<c r=\"C6\"><f>C4*2</f></c>"),
    (8, text("A8", "M4") + number("B8", 46146, 1) + number("C8", 0.30000000000000004)),
    (9, number("B9", 46147, 1) + number("C9", 5)),
    (10, text("A10", "Total") + number("C10", 25.29)),
]
sheet = "".join(f'<row r="{row}">{cells}</row>' for row, cells in rows)
head = '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>'
main = 'xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"'
office = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
package = "http://schemas.openxmlformats.org/package/2006"
kind = "application/vnd.openxmlformats-officedocument.spreadsheetml"
files = {
    "[Content_Types].xml": f'<Types xmlns="{package}/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Override PartName="/xl/workbook.xml" ContentType="{kind}.sheet.main+xml"/><Override PartName="/xl/worksheets/sheet1.xml" ContentType="{kind}.worksheet+xml"/><Override PartName="/xl/styles.xml" ContentType="{kind}.styles+xml"/></Types>',
    "_rels/.rels": f'<Relationships xmlns="{package}/relationships"><Relationship Id="r1" Type="{office}/officeDocument" Target="xl/workbook.xml"/></Relationships>',
    "xl/workbook.xml": f'<workbook {main} xmlns:r="{office}"><sheets><sheet name="Orders" sheetId="1" r:id="r1"/></sheets></workbook>',
    "xl/_rels/workbook.xml.rels": f'<Relationships xmlns="{package}/relationships"><Relationship Id="r1" Type="{office}/worksheet" Target="worksheets/sheet1.xml"/><Relationship Id="r2" Type="{office}/styles" Target="styles.xml"/></Relationships>',
    "xl/styles.xml": f'<styleSheet {main}><cellXfs count="2"><xf numFmtId="0"/><xf numFmtId="14" applyNumberFormat="1"/></cellXfs></styleSheet>',
    "xl/worksheets/sheet1.xml": f'<worksheet {main}><sheetData>{sheet}</sheetData><mergeCells count="1"><mergeCell ref="A8:A9"/></mergeCells></worksheet>',
}
with zipfile.ZipFile(sys.argv[1], "w", zipfile.ZIP_DEFLATED) as book:
    for name, xml in files.items():
        book.writestr(zipfile.ZipInfo(name), head + xml)
PY
ls -l "$books"
