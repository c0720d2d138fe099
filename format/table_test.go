package format

import (
	"archive/zip"
	"bytes"
	"encoding/csv"
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"
)

// The rules of RFC 4180, section 2, each with its own example.
func TestCSVIsReadByTheRulesOfRFC4180(t *testing.T) {
	for _, x := range []struct {
		rule, text string
		header     []string
		rows       [][]string
	}{
		{"1, each record on a line", "a,b,c\r\naaa,bbb,ccc\r\nzzz,yyy,xxx\r\n", []string{"a", "b", "c"}, [][]string{{"aaa", "bbb", "ccc"}, {"zzz", "yyy", "xxx"}}},
		{"2, the last without a line break", "a,b,c\r\naaa,bbb,ccc\r\nzzz,yyy,xxx", []string{"a", "b", "c"}, [][]string{{"aaa", "bbb", "ccc"}, {"zzz", "yyy", "xxx"}}},
		{"3, a header", "field_name,field_name,field_name\r\naaa,bbb,ccc\r\n", []string{"field_name", "field_name", "field_name"}, [][]string{{"aaa", "bbb", "ccc"}}},
		{"4, spaces are part of a field", "a,b\r\n aaa,b bb\r\n", []string{"a", "b"}, [][]string{{" aaa", "b bb"}}},
		{"5, quotes around fields", "a,b,c\r\n\"aaa\",\"bbb\",\"ccc\"\r\nzzz,yyy,xxx", []string{"a", "b", "c"}, [][]string{{"aaa", "bbb", "ccc"}, {"zzz", "yyy", "xxx"}}},
		{"6, line breaks and commas in quotes", "a,b,c\r\n\"aaa\",\"b\r\nbb\",\"c,cc\"\r\nzzz,yyy,xxx", []string{"a", "b", "c"}, [][]string{{"aaa", "b\nbb", "c,cc"}, {"zzz", "yyy", "xxx"}}},
		{"7, a quote in quotes is doubled", "a,b,c\r\n\"aaa\",\"b\"\"bb\",\"ccc\"", []string{"a", "b", "c"}, [][]string{{"aaa", `b"bb`, "ccc"}}},
	} {
		got, err := ReadTable("t.csv", []byte(x.text))
		if err != nil || !slices.Equal(got.Header, x.header) || !slices.EqualFunc(got.Rows, x.rows, slices.Equal) {
			t.Errorf("rule %s: %+v, %v", x.rule, got, err)
		}
	}
}

func TestOtherHabitsOfCSVAreRead(t *testing.T) {
	for _, x := range []struct{ text, note string }{
		{"\xef\xbb\xbfTitel;Tag\nM\u00fchle, alt;3.12.2026\n", ""}, {"Titel\tTag\nM\u00fchle, alt\t3.12.2026\n\n \t\n", ""}, {"sep=|\nTitel|Tag\nM\u00fchle, alt|3.12.2026\n", "says what stands"},
		{"Titel;Tag\nM\xfchle, alt;3.12.2026\n", "read as Windows-1252"}, {"\xff\xfe" + strings.Join(strings.Split("Titel;Tag\nM\xfchle, alt;3.12.2026\n", ""), "\x00") + "\x00", ""},
	} {
		got, err := ReadTable("t.csv", []byte(x.text))
		if err != nil || len(got.Rows) != 1 || got.Rows[0][0] != "Mühle, alt" || got.Rows[0][1] != "3.12.2026" {
			t.Errorf("%q: %+v, %v", x.text, got, err)
		}
		if notes := strings.Join(got.Notes, " "); (x.note == "") != (notes == "") || !strings.Contains(notes, x.note) {
			t.Errorf("%q notes %q", x.text, notes)
		}
	}
	if got, err := ReadTable("t.csv", []byte("a\n\n\"b\nc\"\nd\n")); err != nil || !slices.Equal(got.Lines, []int{3, 5}) {
		t.Errorf("lines %v, %v", got.Lines, err)
	}
}

// libreoffice.xlsx was written by LibreOffice 7.4 of Debian 12 (soffice --convert-to
// xlsx) from a CSV made for this test, with days as days, a formula, a line break in a cell, Arabic
// and a symbol outside of the first plane of Unicode.
func TestAnXLSXOfAnotherProgramIsRead(t *testing.T) {
	data, err := os.ReadFile("testdata/libreoffice.xlsx")
	if err != nil {
		t.Fatal(err)
	}
	got, err := ReadTable("lineup.xlsx", data)
	if err != nil {
		t.Fatal(err)
	}
	want := [][]string{
		{"The weir, mended", "46359", "Feature", "Maren Holt", "900", "Three parishes.\nTwo lines."},
		{"Ein Müller erzählt", "46363", "Recipe", "Adaeze Brandt", "", "2"},
		{"القمح", "46365", "Letter", "", "300", "emoji 🌾"},
	}
	if !slices.Equal(got.Header, []string{"Headline", "Publish date", "Type", "Editor", "Words", "Notes"}) || !slices.EqualFunc(got.Rows, want, slices.Equal) {
		t.Errorf("%+v", got)
	}
}

func TestWhatIsNoTableIsRefusedWithASentence(t *testing.T) {
	zipped := func(name string, size int) []byte {
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		w, err := z.Create(name)
		if err != nil {
			t.Fatal(err)
		}
		zeros := make([]byte, 1<<20)
		for range size {
			if _, err := w.Write(zeros); err != nil {
				t.Fatal(err)
			}
		}
		if err := z.Close(); err != nil {
			t.Fatal(err)
		}
		return b.Bytes()
	}
	bomb := zipped("xl/worksheets/sheet1.xml", 200)
	lying := bytes.ReplaceAll(bomb, []byte{0, 0, 0x80, 0x0c}, []byte{0, 0x10, 0, 0}) // says it is small
	for _, x := range []struct {
		name string
		data []byte
		says string
	}{
		{"nothing", nil, "is empty"}, {"a bomb", bomb, "unpacks to more than 60 MB"}, {"a lying bomb", lying, "“t.xlsx”"}, {"another package", zipped("word/document.xml", 1), "cannot be read as a spreadsheet"},
		{"a broken one", []byte("PK\x03\x04 and then nothing"), "cannot be read as a spreadsheet"}, {"an empty sheet", zipped("xl/workbook.xml", 0), "cannot be read as a spreadsheet"}, {"a picture", []byte("\x89PNG\r\n\x1a\n\x00\x00\x00"), "neither a CSV nor an XLSX"},
		{"an old one", []byte("\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"), "the old format"}, {"an open quote", []byte("a,b\n1,\"2\n3,4\n"), "Line 2"}, {"a stray quote", []byte("a,b\n1,2\"3\n"), "Line 2"}, {"only a header", []byte("a,b\n"), "no rows"},
		{"200 MB", make([]byte, 200<<20), "larger than 10 MB"}, {"too many rows", []byte(strings.Repeat("a\n", MaxRows+2)), "more than 20000 rows"}, {"too many columns", []byte("a\n" + strings.Repeat(",", 200) + "x\n"), "more than 100 columns"},
		{"a huge cell", []byte("a\n" + strings.Repeat("x", 40_000)), "more than 32767 characters"},
	} {
		if _, err := ReadTable("t.xlsx", x.data); err == nil || !strings.Contains(err.Error(), x.says) {
			t.Errorf("%s: %v, want %q", x.name, err, x.says)
		}
	}
}

func TestNoCellIsWrittenAsAFormula(t *testing.T) {
	var b bytes.Buffer
	row := []string{"=1+1", "+cmd|' /C calc'!A0", "-2+3", "@SUM(A1)", "\t=1", "-3", "+4.5", "plain", "a=1", "two\nlines, \"quoted\"", ""}
	if err := WriteCSV(&b, []string{"=head"}, [][]string{row}); err != nil {
		t.Fatal(err)
	}
	got, err := csv.NewReader(bytes.NewReader(b.Bytes())).Read()
	if err != nil || got[0] != "'=head" {
		t.Errorf("%q, %v", got, err)
	}
	r := csv.NewReader(bytes.NewReader(b.Bytes()))
	r.FieldsPerRecord = -1
	all, err := r.ReadAll()
	want := []string{"'=1+1", "'+cmd|' /C calc'!A0", "'-2+3", "'@SUM(A1)", "'\t=1", "-3", "+4.5", "plain", "a=1", "two\nlines, \"quoted\"", ""}
	if err != nil || !slices.Equal(all[1], want) {
		t.Errorf("%q, %v", all, err)
	}
	if !strings.HasSuffix(b.String(), "\r\n") {
		t.Error("lines end by RFC 4180 with CR LF")
	}
}

// What is written as XLSX by another library, with formulas, reads as the values shown.
func TestFormulasAreReadAsTheirValues(t *testing.T) {
	f := excelize.NewFile()
	for cell, v := range map[string]any{"A1": "Title", "B1": "Volume", "A2": "Rye"} {
		if err := f.SetCellValue("Sheet1", cell, v); err != nil {
			t.Fatal(err)
		}
	}
	if err := f.SetCellFormula("Sheet1", "B2", "=HYPERLINK(\"http://mill.example\",\"x\")"); err != nil {
		t.Fatal(err)
	}
	var b bytes.Buffer
	if err := f.Write(&b); err != nil {
		t.Fatal(err)
	}
	got, err := ReadTable("t.xlsx", b.Bytes())
	if err != nil || fmt.Sprint(got.Rows) != "[[Rye ]]" {
		t.Errorf("%q, %v", got.Rows, err)
	}
}

func FuzzReadTable(f *testing.F) {
	data, err := os.ReadFile("testdata/libreoffice.xlsx")
	if err != nil {
		f.Fatal(err)
	}
	f.Add(data)
	f.Add([]byte("a;b\n1;\"2\"\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		got, err := ReadTable("t", data)
		if err != nil {
			return
		}
		for _, r := range got.Rows {
			if len(r) != len(got.Header) {
				t.Errorf("a row of %d cells under a header of %d", len(r), len(got.Header))
			}
		}
	})
}
