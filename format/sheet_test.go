package format

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
)

var givenOut = Sheet{Name: "Fees November 2026, and more than a name may have", Header: []string{"Accepted", "Piece", "Amount", "Currency"}, Rows: [][]Cell{
	{{Text: "2026-11-19", Date: true}, {Text: "=HYPERLINK(\"http://example\")"}, {Text: "180.00", Number: true, Digits: 2}, {Text: "GBP"}},
	{{}, {Text: "+1 & <two>"}, {Text: "-62.30", Number: true, Digits: 2}, {Text: "GBP"}},
	{{Text: "2026-11-24", Date: true}, {Text: "@rye"}, {Text: "1042.25", Number: true, Digits: 2}, {Text: "GBP"}},
}}

// What is written is read by a reader of the format that shares nothing with the writer: Python's
// zipfile and XML. Numbers are numbers, dates are days counted from 1899-12-30 (ECMA-376, 18.17.4.1),
// and no cell is a formula.
func TestSheetsAreReadByOthers(t *testing.T) {
	python, err := exec.LookPath("python3")
	if err != nil {
		t.Skip("python3 is not installed")
	}
	var b bytes.Buffer
	if err := WriteXLSX(&b, givenOut); err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(t.TempDir(), "x.xlsx")
	if err := os.WriteFile(file, b.Bytes(), 0o600); err != nil {
		t.Fatal(err)
	}
	out, err := exec.Command(python, "-c", `
import sys, zipfile, datetime
import xml.etree.ElementTree as E
z = zipfile.ZipFile(sys.argv[1])
N = "{http://schemas.openxmlformats.org/spreadsheetml/2006/main}"
shared = []
if "xl/sharedStrings.xml" in z.namelist():
    shared = ["".join(t.text or "" for t in s.iter(N + "t")) for s in E.fromstring(z.read("xl/sharedStrings.xml"))]
root = E.fromstring(z.read("xl/worksheets/sheet1.xml"))
print(len(list(root.iter(N + "f"))), "formulas")
for row in list(root.iter(N + "row"))[1:]:
    line = []
    for c in row:
        v, kind = c.find(N + "v"), c.get("t", "n")
        if kind == "inlineStr": line.append("".join(t.text or "" for t in c.iter(N + "t")))
        elif kind == "s": line.append(shared[int(v.text)])
        elif kind == "str": line.append(v.text)
        elif v is not None and c.get("r")[0] == "A": line.append(str(datetime.date(1899, 12, 30) + datetime.timedelta(days=int(float(v.text)))))
        elif v is not None: line.append("%.2f" % float(v.text))
    print("|".join(line))
`, file).CombinedOutput()
	want := "0 formulas\n2026-11-19|=HYPERLINK(\"http://example\")|180.00|GBP\n+1 & <two>|-62.30|GBP\n2026-11-24|@rye|1042.25|GBP\n"
	if err != nil || string(out) != want {
		t.Errorf("%v:\n%s\nwant\n%s", err, out, want)
	}
}

// LibreOffice, where it is installed, gives the same total.
func TestSheetsAreReadByLibreOffice(t *testing.T) {
	soffice, err := exec.LookPath("soffice")
	if err != nil {
		t.Skip("LibreOffice is not installed")
	}
	dir := t.TempDir()
	var b bytes.Buffer
	if err := WriteXLSX(&b, givenOut); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(dir, "x.xlsx"), b.Bytes(), 0o600); err != nil {
		t.Fatal(err)
	}
	if out, err := exec.Command(soffice, "-env:UserInstallation=file://"+dir+"/lo", "--headless", "--convert-to", "csv:Text - txt - csv (StarCalc):44,34,76,1,,0,false,true", "--outdir", dir, filepath.Join(dir, "x.xlsx")).CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	got, err := os.ReadFile(filepath.Join(dir, "x.csv"))
	if err != nil || !strings.Contains(string(got), "2026-11-19,\"=HYPERLINK(\"\"http://example\"\")\",180.00,GBP") || !strings.Contains(string(got), "-62.30") || !strings.Contains(string(got), "\"1,042.25\"") {
		t.Errorf("%v: %s", err, got)
	}
}
