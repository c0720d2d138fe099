package format

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"strconv"
	"strings"
	"testing"
	"time"
)

var givenOut = Sheet{Name: "Fees November 2026, and more than a name may have", Header: []string{"Accepted", "Piece", "Amount", "Currency"}, Rows: [][]Cell{
	{{Text: "2026-11-19", Date: true}, {Text: "=HYPERLINK(\"http://example\")"}, {Text: "180.00", Number: true, Digits: 2}, {Text: "GBP"}},
	{{}, {Text: "+1 & <two>"}, {Text: "-62.30", Number: true, Digits: 2}, {Text: "GBP"}},
	{{Text: "2026-11-24", Date: true}, {Text: "@rye"}, {Text: "1042.25", Number: true, Digits: 2}, {Text: "GBP"}},
}}

// What is written is read by the rules of the format alone (ECMA-376, 18.3): numbers are numbers, dates
// are days counted from 1899-12-30 (18.17.4.1), and no cell is a formula.
func TestSheetsAreWhatTheFormatSays(t *testing.T) {
	var b bytes.Buffer
	if err := WriteXLSX(&b, givenOut); err != nil {
		t.Fatal(err)
	}
	z, err := zip.NewReader(bytes.NewReader(b.Bytes()), int64(b.Len()))
	if err != nil {
		t.Fatal(err)
	}
	f, err := z.Open("xl/worksheets/sheet1.xml")
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	var sheet struct {
		Rows []struct {
			Cells []struct {
				R    string  `xml:"r,attr"`
				Type string  `xml:"t,attr"`
				F    *string `xml:"f"`
				V    string  `xml:"v"`
				Text string  `xml:"is>t"`
			} `xml:"c"`
		} `xml:"sheetData>row"`
	}
	if err := xml.NewDecoder(f).Decode(&sheet); err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, r := range sheet.Rows {
		var line []string
		for _, c := range r.Cells {
			if c.F != nil {
				t.Errorf("%s is a formula", c.R)
			}
			n, err := strconv.ParseFloat(c.V, 64)
			switch {
			case c.Type == "inlineStr":
				line = append(line, c.Text)
			case err == nil && c.R[0] == 'A':
				line = append(line, time.Date(1899, 12, 30+int(n), 0, 0, 0, 0, time.UTC).Format("2006-01-02"))
			case err == nil && (c.Type == "" || c.Type == "n"):
				line = append(line, strconv.FormatFloat(n, 'f', 2, 64))
			default:
				t.Errorf("%s is of type %q and holds %q", c.R, c.Type, c.V)
			}
		}
		got = append(got, strings.Join(line, "|"))
	}
	want := "Accepted|Piece|Amount|Currency\n2026-11-19|=HYPERLINK(\"http://example\")|180.00|GBP\n+1 & <two>|-62.30|GBP\n2026-11-24|@rye|1042.25|GBP"
	if strings.Join(got, "\n") != want {
		t.Errorf("%s\nwant\n%s", strings.Join(got, "\n"), want)
	}
}

// An address is a link, by the format's own parts (ECMA-376, 18.3.1.47 and the relationships of the sheet);
// whatever else has one in it is text.
func TestAddressesAreLinks(t *testing.T) {
	s := Sheet{Name: "Pieces", Header: []string{"Piece", "Address"}}
	for i := range mostLinks + 10 {
		s.Rows = append(s.Rows, []Cell{{Text: "Read https://desk.example/x first"}, {Text: "https://desk.example/pieces/" + strconv.Itoa(i) + "?a=1&b=\"2\""}})
	}
	var b bytes.Buffer
	if err := WriteXLSX(&b, s); err != nil {
		t.Fatal(err)
	}
	z, err := zip.NewReader(bytes.NewReader(b.Bytes()), int64(b.Len()))
	if err != nil {
		t.Fatal(err)
	}
	read := func(name string, into any) {
		t.Helper()
		f, err := z.Open(name)
		if err != nil {
			t.Fatal(err)
		}
		defer f.Close()
		if err := xml.NewDecoder(f).Decode(into); err != nil {
			t.Fatal(err)
		}
	}
	var sheet struct {
		Links []struct {
			Ref string `xml:"ref,attr"`
			ID  string `xml:"http://schemas.openxmlformats.org/officeDocument/2006/relationships id,attr"`
		} `xml:"hyperlinks>hyperlink"`
	}
	var rels struct {
		All []struct {
			ID     string `xml:"Id,attr"`
			Target string `xml:"Target,attr"`
			Mode   string `xml:"TargetMode,attr"`
		} `xml:"Relationship"`
	}
	read("xl/worksheets/sheet1.xml", &sheet)
	read("xl/worksheets/_rels/sheet1.xml.rels", &rels)
	to := map[string]string{}
	for _, r := range rels.All {
		to[r.ID] = r.Target + " " + r.Mode
	}
	if len(sheet.Links) != mostLinks {
		t.Fatalf("%d links", len(sheet.Links))
	}
	for i, l := range sheet.Links {
		if want := "https://desk.example/pieces/" + strconv.Itoa(i) + "?a=1&b=\"2\" External"; l.Ref != "B"+strconv.Itoa(i+2) || to[l.ID] != want {
			t.Fatalf("%s leads to %q, want %q", l.Ref, to[l.ID], want)
		}
	}
}
