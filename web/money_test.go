package web

import (
	"encoding/csv"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"greenbaton/store"
)

// No page, list or file gives an amount to somebody who may see none: not to staff who own nothing of
// it, not to a partner, and to a freelancer only their own.
func TestAmountsAreSeenByNobodyElse(t *testing.T) {
	house, h := open(t, true)
	b, err := house.Setup(ctx)
	if err != nil {
		t.Fatal(err)
	}
	var fees []store.Fee
	if err := house.DB.Select(ctx, &fees, "SELECT * FROM fee WHERE amount > 5000"); err != nil || len(fees) < 20 {
		t.Fatal(len(fees), err)
	}
	amount := map[string]bool{}
	paths := []string{"/", "/pieces", "/pieces?cols=title,fee&sort=-fee", "/pieces?fee=50..", "/lineup", "/track", "/load", "/ideas", "/open", "/inbox", "/logbook", "/logbook?as=csv", "/reports", "/reports?by=writer", "/reports/csv?table=people", "/reports/month", "/reports/capacity", "/campaigns", "/partner", "/find?q=statement", "/rules",
		"/fees", "/fees/csv", "/fees/xlsx", "/fees/rates", "/fees/budgets", "/fees/mine", "/fees/statements/5", "/fees/statements/5/csv", "/fees/statements/6", "/pieces/new?format=1", "/sitting", "/propose", "/filter?at=%2Fpieces", "/desk", "/topics"}
	of := map[string]int{} // who earns it
	for _, f := range fees {
		cur := b.CurrencyBy(f.DeskID, f.Currency)
		for _, s := range []string{cur.Full(f.Amount), cur.Say(f.Amount)} {
			amount[s], of[s] = true, int(f.PersonID)
		}
		if len(paths) < 60 && f.PieceID != 0 {
			for _, p := range []string{"/pieces/%d", "/pieces/%d/logbook", "/pieces/%d/brief", "/pieces/%d/legs/draft"} {
				paths = append(paths, fmt.Sprintf(p, f.PieceID))
			}
		}
	}
	money := regexp.MustCompile(`£[\d,]+(\.\d\d)?`)
	for _, who := range []int{3, 5, 4, 8, 9} { // Yusuf and Hollis of the staff, Petra and Sian, and Bram from outside
		c := visit(t, h).as(who)
		seen := 0
		for _, p := range paths {
			_, body := c.get(p)
			for _, s := range money.FindAllString(body, -1) {
				if !amount[s] {
					continue
				}
				if seen++; of[s] != who {
					t.Errorf("%d reads %s at %s", who, s, p)
				}
			}
			if who != 4 && who != 8 && strings.Contains(body, "a word") && strings.Contains(body, "£0.15") {
				t.Errorf("%d reads a rate at %s", who, p)
			}
		}
		if who == 4 && seen < 10 {
			t.Errorf("who earns them reads %d amounts only", seen)
		}
	}
	if _, body := visit(t, h).as(1).get("/fees"); len(money.FindAllString(body, -1)) < 10 {
		t.Error("the lead reads no amounts")
	}
}

// A month of fees as XLSX, opened by LibreOffice, has the total that the fees and the costs of the
// month have, and no cell is a formula.
func TestAMonthOfFeesIsReadByLibreOffice(t *testing.T) {
	soffice, err := exec.LookPath("soffice")
	if err != nil {
		t.Fatal("LibreOffice is not there; ./test installs it")
	}
	house, h := open(t, true)
	_, body := visit(t, h).as(1).get("/fees/xlsx?on=2026-11-01")
	dir := t.TempDir()
	if err := os.WriteFile(filepath.Join(dir, "x.xlsx"), []byte(body), 0o600); err != nil {
		t.Fatal(err)
	}
	for kind, out := range map[string]string{"csv:Text - txt - csv (StarCalc):44,34,76,1,,0,false,true": "x.csv", "fods": "x.fods"} {
		if said, err := exec.Command(soffice, "-env:UserInstallation=file://"+dir+"/lo", "--headless", "--convert-to", kind, "--outdir", dir, filepath.Join(dir, "x.xlsx")).CombinedOutput(); err != nil {
			t.Fatalf("%s: %v: %s", out, err, said)
		}
	}
	file, err := os.Open(filepath.Join(dir, "x.csv"))
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	rows, err := csv.NewReader(file).ReadAll()
	if err != nil || len(rows) < 5 {
		t.Fatal(len(rows), err)
	}
	column := slices.Index(rows[0], "Amount")
	cents := func(s string) int64 {
		n, err := strconv.ParseInt(strings.NewReplacer(",", "", ".", "").Replace(s), 10, 64)
		if err != nil {
			t.Errorf("%q is no amount", s)
		}
		return n
	}
	sum := int64(0)
	for _, r := range rows[1 : len(rows)-1] {
		sum += cents(r[column])
	}
	var kept int64
	if err := house.DB.Get(ctx, &kept, "SELECT (SELECT SUM(amount) FROM fee WHERE state <> 'agreed' AND accepted_day BETWEEN ? AND ?) + (SELECT SUM(amount) FROM cost WHERE day BETWEEN ? AND ?)", 20758, 20787, 20758, 20787); err != nil {
		t.Fatal(err)
	}
	if total := cents(rows[len(rows)-1][column]); total != sum || total != kept || total == 0 {
		t.Errorf("LibreOffice has a total of %d, the rows sum up to %d, and %d is stored", total, sum, kept)
	}
	flat, err := os.ReadFile(filepath.Join(dir, "x.fods"))
	if err != nil || strings.Contains(string(flat), "table:formula") {
		t.Errorf("a cell is a formula (%v)", err)
	}
}
