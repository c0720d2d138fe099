package store

import (
	"fmt"
	"testing"
)

// However long the logbook is and in however many parts it is walked, a whole one is found
// whole, and one that was bent is not.
func TestEveryLengthOfALogbookVerifiesInAnyNumberOfParts(t *testing.T) {
	db := fresh(t)
	for length := int64(0); length <= 200; length++ {
		if length > 0 {
			if err := db.Write(ctx, func(tx *Tx) error { return tx.Log(ctx, Entry{Act: "a", What: fmt.Sprint("entry ", length)}) }); err != nil {
				t.Fatal(err)
			}
		}
		if n, err := Verify(ctx, db); n != length || err != nil {
			t.Fatalf("a logbook of %d entries: %d, %v", length, n, err)
		}
		for parts := int64(1); parts <= 16; parts++ {
			if err := verifyParts(ctx, db, length, parts); err != nil {
				t.Fatalf("%d entries in %d parts: %v", length, parts, err)
			}
		}
	}
	if _, err := db.write.Exec("DROP TRIGGER logbook_stays"); err != nil {
		t.Fatal(err)
	}
	for _, bent := range []int64{1, 2, 57, 199, 200} {
		db.write.MustExec("UPDATE logbook SET what = 'bent ' || what WHERE seq = ?", bent)
		for parts := int64(1); parts <= 16; parts++ {
			if err := verifyParts(ctx, db, 200, parts); err == nil || err.Error() != fmt.Sprintf("entry %d has been changed", bent) {
				t.Errorf("entry %d is bent, and in %d parts it is said: %v", bent, parts, err)
			}
		}
		db.write.MustExec("UPDATE logbook SET what = substr(what, 6) WHERE seq = ?", bent)
	}
}
