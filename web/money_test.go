package web

import (
	"fmt"
	"regexp"
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
