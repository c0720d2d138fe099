package format

import (
	"archive/zip"
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"

	"greenbaton/core/bring"
)

// The limits of a table.
const (
	MaxRows    = 20_000
	MaxColumns = 100
	maxCell    = 32_767   // characters, the most a cell of XLSX can have (ECMA-376)
	maxPacked  = 10 << 20 // bytes of the file
	maxOpened  = 60 << 20 // bytes of what is packed in it
)

// ReadTable reads a CSV or XLSX file, by what its bytes are. The error is a sentence that
// says what to do.
func ReadTable(name string, data []byte) (bring.Table, error) {
	var t table
	var err error
	switch packed := bytes.HasPrefix(data, []byte("PK\x03\x04")); {
	case len(data) == 0:
		return bring.Table{}, fmt.Errorf("“%s” is empty. Choose the file again.", name)
	case len(data) > maxPacked:
		return bring.Table{}, fmt.Errorf("“%s” is larger than %d MB. Split it, and import one part after the other.", name, maxPacked>>20)
	case bytes.HasPrefix(data, []byte("\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1")):
		return bring.Table{}, fmt.Errorf("“%s” is in the old format of spreadsheets, or locked with a password. Save it as XLSX without a password, or as CSV.", name)
	case packed:
		err = t.readXLSX(name, data)
	default:
		err = t.readCSV(name, data)
	}
	if err == nil {
		err = t.square(name)
	}
	return bring.Table(t), err
}

// table is a table while it is read.
type table bring.Table

func (t *table) add(line int, cells []string) error {
	blank := true
	for i, c := range cells {
		cells[i] = strings.TrimRight(strings.ReplaceAll(c, "\r\n", "\n"), " \n\t")
		blank = blank && cells[i] == ""
		if len(c) > maxCell && utf8.RuneCountInString(c) > maxCell {
			return fmt.Errorf("Row %d has a cell of more than %d characters. Shorten it, and try again.", line, maxCell)
		}
	}
	switch {
	case blank:
		return nil
	case len(cells) > MaxColumns && strings.TrimSpace(strings.Join(cells[MaxColumns:], "")) != "":
		return fmt.Errorf("Row %d has more than %d columns. Take those away that are not needed.", line, MaxColumns)
	case t.Header == nil:
		t.Header = cells
		return nil
	case len(t.Rows) >= MaxRows:
		return fmt.Errorf("The table has more than %d rows. Split it, and import one part after the other.", MaxRows)
	}
	t.Rows, t.Lines = append(t.Rows, cells), append(t.Lines, line)
	return nil
}

// square makes every row as wide as the widest and looks whether anything is there.
func (t *table) square(name string) error {
	if len(t.Rows) == 0 {
		return fmt.Errorf("“%s” has no rows under its first one, which holds the names of the columns.", name)
	}
	width := len(t.Header)
	for _, r := range t.Rows {
		width = max(width, len(r))
	}
	width = min(width, MaxColumns)
	fit := func(r []string) []string {
		for len(r) < width {
			r = append(r, "")
		}
		return r[:width]
	}
	t.Header = fit(t.Header)
	for i := range t.Rows {
		t.Rows[i] = fit(t.Rows[i])
	}
	return nil
}

func (t *table) readCSV(name string, data []byte) error {
	text, note := decode(data)
	if i := bytes.IndexByte(text, 0); i >= 0 {
		return fmt.Errorf("“%s” is neither a CSV nor an XLSX file. Save the table as one of them, and choose that.", name)
	}
	if note != "" {
		t.Notes = append(t.Notes, note)
	}
	comma, said := separator(text)
	if said != "" {
		t.Notes = append(t.Notes, said)
		text = text[bytes.IndexByte(text, '\n')+1:]
	}
	r := csv.NewReader(bytes.NewReader(text))
	r.Comma, r.FieldsPerRecord, r.LazyQuotes = comma, -1, false
	for {
		cells, err := r.Read()
		if errors.Is(err, io.EOF) {
			return nil
		}
		var wrong *csv.ParseError
		if errors.As(err, &wrong) {
			return fmt.Errorf("Line %d of “%s” cannot be read: a quotation mark is opened and not closed, or stands in the middle of a cell. Mend it, or save the table as XLSX.", wrong.StartLine, name)
		} else if err != nil {
			return err
		}
		line, _ := r.FieldPos(0)
		if said != "" {
			line++
		}
		if err := t.add(line, cells); err != nil {
			return err
		}
	}
}

// decode gives a file of text as UTF-8, and what was assumed if it is in something else.
func decode(data []byte) ([]byte, string) {
	switch {
	case bytes.HasPrefix(data, []byte("\xef\xbb\xbf")):
		return data[3:], ""
	case bytes.HasPrefix(data, []byte("\xff\xfe")), bytes.HasPrefix(data, []byte("\xfe\xff")):
		if out, _, err := transform.Bytes(unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewDecoder(), data); err == nil {
			return out, ""
		}
	case utf8.Valid(data):
		return data, ""
	}
	out, _, err := transform.Bytes(charmap.Windows1252.NewDecoder(), data)
	if err != nil {
		return data, ""
	}
	return out, "The file is not in UTF-8; it was read as Windows-1252. Look whether accents and dashes are right, and save it as UTF-8 if not."
}

// separator gives what stands between the cells: what the first line says it is
// ("sep=;"), otherwise what stands most often outside of quotes in the first row.
func separator(text []byte) (comma rune, said string) {
	first, _, _ := bytes.Cut(text, []byte("\n"))
	first = bytes.TrimRight(first, "\r")
	if rest, ok := bytes.CutPrefix(bytes.ToLower(first), []byte("sep=")); ok && len(rest) == 1 && strings.ContainsRune(",;\t|", rune(rest[0])) {
		return rune(rest[0]), "Its first line says what stands between the cells."
	}
	counts, quoted := map[rune]int{}, false
	for _, r := range string(text[:min(len(text), 64<<10)]) {
		if r == '"' {
			quoted = !quoted
		}
		if r == '\n' && !quoted {
			break
		}
		if !quoted && strings.ContainsRune(",;\t|", r) {
			counts[r]++
		}
	}
	comma = ','
	for _, r := range []rune{';', '\t', '|'} {
		if counts[r] > counts[comma] {
			comma = r
		}
	}
	return comma, ""
}

func (t *table) readXLSX(name string, data []byte) (err error) {
	bad := fmt.Errorf("“%s” cannot be read as a spreadsheet. Open it in the program it comes from, save it as XLSX or CSV, and choose that.", name)
	defer func() {
		if recover() != nil { // what a broken file does to the reader is no reason to stop
			err = bad
		}
	}()
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil || !slices.ContainsFunc(z.File, func(f *zip.File) bool { return strings.HasPrefix(f.Name, "xl/") }) {
		return bad
	}
	opened := int64(0)
	for _, f := range z.File { // by reading, not by what it says of itself
		r, err := f.Open()
		if err != nil {
			return bad
		}
		n, err := io.Copy(io.Discard, io.LimitReader(r, maxOpened-opened+1))
		if opened += n; opened > maxOpened {
			return fmt.Errorf("“%s” unpacks to more than %d MB, which no list needs. Copy the rows into a new sheet, and save that.", name, maxOpened>>20)
		} else if err != nil {
			return bad
		}
	}
	f, err := excelize.OpenReader(bytes.NewReader(data), excelize.Options{RawCellValue: true, UnzipSizeLimit: maxOpened, UnzipXMLSizeLimit: maxOpened})
	if err != nil {
		return bad
	}
	defer f.Close()
	sheets := f.GetSheetList()
	if len(sheets) == 0 {
		return bad
	}
	if len(sheets) > 1 {
		t.Notes = append(t.Notes, fmt.Sprintf("The file has %d sheets; “%s”, the first, was read.", len(sheets), sheets[0]))
	}
	rows, err := f.Rows(sheets[0])
	if err != nil {
		return bad
	}
	defer rows.Close()
	for line := 1; rows.Next(); line++ {
		cells, err := rows.Columns()
		if err != nil {
			return bad
		}
		if err := t.add(line, cells); err != nil {
			return err
		}
	}
	if p, err := f.GetWorkbookProps(); err == nil && p.Date1904 != nil && *p.Date1904 {
		t.Notes = append(t.Notes, "The file counts its days from 1904. Look at the dates: they come out four years and a day early.")
	}
	return nil
}

// WriteCSV writes a table as CSV by RFC 4180, in UTF-8. A cell that a spreadsheet would
// take for a formula is written with an apostrophe in front.
func WriteCSV(w io.Writer, header []string, rows [][]string) error {
	c := csv.NewWriter(w)
	c.UseCRLF = true
	for _, r := range append([][]string{header}, rows...) {
		out := make([]string, len(r))
		for i, cell := range r {
			out[i] = plainCell(cell)
		}
		if err := c.Write(out); err != nil {
			return err
		}
	}
	c.Flush()
	return c.Error()
}

// plainCell keeps a spreadsheet from running a cell: one that begins with =, +, -, @, a
// tab or a line break and is no number (OWASP, CSV Injection).
func plainCell(s string) string {
	if s == "" || !strings.ContainsRune("=+-@\t\r\n", rune(s[0])) {
		return s
	}
	if strings.Trim(s[1:], "0123456789.,") == "" && (s[0] == '-' || s[0] == '+') && len(s) > 1 {
		return s
	}
	return "'" + s
}
