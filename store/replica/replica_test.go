package replica

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"math/rand/v2"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/benbjohnson/litestream"
	"github.com/johannesboyne/gofakes3"
	"github.com/johannesboyne/gofakes3/backend/s3mem"
	"github.com/superfly/ltx"

	"greenbaton/core/day"
	"greenbaton/store"
)

var quiet = slog.New(slog.DiscardHandler)

// places are a folder and a bucket of a store that speaks S3: a stand-in, github.com/johannesboyne/gofakes3.
func places(t *testing.T) map[string]Place {
	t.Helper()
	memory := s3mem.New()
	if err := memory.CreateBucket("newsroom"); err != nil {
		t.Fatal(err)
	}
	srv := httptest.NewServer(gofakes3.New(memory).Server())
	t.Cleanup(srv.Close)
	return map[string]Place{
		"folder": {At: filepath.Join(t.TempDir(), "copies", "newsroom")},
		"store":  {At: "s3://newsroom/copies/one", Endpoint: srv.URL, Key: "key", Secret: "secret", Region: "us-east-1"},
	}
}

// data opens a data file that is copied to a place.
func data(t *testing.T, dir string, p Place) (*store.DB, *Copying, func()) {
	t.Helper()
	db, err := store.Open(t.Context(), dir)
	if err != nil {
		t.Fatal(err)
	}
	c, err := Start(t.Context(), db.Path(), p, "one", quiet)
	if err != nil {
		t.Fatal(err)
	}
	return db, c, func() {
		t.Helper()
		if err := c.Close(context.Background()); err != nil {
			t.Error(err)
		}
		if err := db.Close(); err != nil {
			t.Error(err)
		}
	}
}

// write commits one more entry.
func write(t *testing.T, db *store.DB, says string) {
	t.Helper()
	if err := db.Write(t.Context(), func(tx *store.Tx) error {
		return tx.Log(t.Context(), store.Entry{At: day.MomentOf(time.Now()), Act: "said", What: says + strings.Repeat(" and so on", rand.IntN(900))})
	}); err != nil {
		t.Fatal(err)
	}
}

// entries restores a moment and gives how many entries its logbook has; it must hold.
func entries(t *testing.T, p Place, at time.Time) int64 {
	t.Helper()
	dir := t.TempDir()
	if err := Restore(t.Context(), p, at, filepath.Join(dir, store.FileName)); err != nil {
		t.Fatal(err)
	}
	against, err := store.Examine(t.Context(), filepath.Join(dir, store.FileName))
	if err != nil || len(against) > 0 {
		t.Fatal(against, err)
	}
	db, err := store.Open(t.Context(), dir)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	n, err := store.Verify(t.Context(), db)
	if err != nil {
		t.Fatal(err)
	}
	return n
}

// The data of any moment comes back from the copy, in a folder and in a store: after a stop, after a crash,
// and after it was restored and went on from there.
func TestAnyMomentComesBack(t *testing.T) {
	for name, p := range places(t) {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			dir := t.TempDir()
			db, c, stop := data(t, dir, p)
			moments := map[int64]time.Time{}
			for i := range int64(12) {
				write(t, db, fmt.Sprint("entry ", i))
				if err := c.Sync(t.Context()); err != nil {
					t.Fatal(err)
				}
				moments[i+1] = time.Now()
				time.Sleep(5 * time.Millisecond)
			}
			if at, ever := c.Last(); !ever || time.Since(at) > time.Minute {
				t.Error("it was last copied at ", at, ever)
			}
			write(t, db, "the last, which is copied when it stops")
			stop()
			for n, at := range moments {
				if got := entries(t, p, at); got != n {
					t.Errorf("there were %d entries then, restored are %d", n, got)
				}
			}
			if got := entries(t, p, time.Time{}); got != 13 {
				t.Errorf("the newest has %d entries of 13", got)
			}

			// It goes on, and is cut off with nothing closed.
			db, c, stop = data(t, dir, p)
			write(t, db, "fourteen")
			if err := c.Sync(t.Context()); err != nil {
				t.Fatal(err)
			}
			if got := entries(t, p, time.Time{}); got != 14 {
				t.Errorf("while it runs the newest has %d entries of 14", got)
			}
			stop()

			// It is set back to five entries where it is, with what was noted of the copy still there.
			back := t.TempDir()
			if err := Restore(t.Context(), p, moments[5], filepath.Join(back, store.FileName)); err != nil {
				t.Fatal(err)
			}
			if _, err := store.Restore(dir, filepath.Join(back, store.FileName), time.Now()); err != nil {
				t.Fatal(err)
			}
			db, c, stop = data(t, dir, p)
			write(t, db, "six")
			write(t, db, "seven")
			if err := c.Sync(t.Context()); err != nil {
				t.Fatal(err)
			}
			stop()
			if got := entries(t, p, time.Time{}); got != 7 {
				t.Errorf("after it was set back where it is it has %d entries of 7", got)
			}

			// It is set back on another machine, and goes on there.
			db, c, stop = data(t, back, p)
			write(t, db, "six, another")
			if err := c.Sync(t.Context()); err != nil {
				t.Fatal(err)
			}
			stop()
			if got := entries(t, p, time.Time{}); got != 6 {
				t.Errorf("after it was set back it has %d entries of 6", got)
			}
			if got := entries(t, p, moments[9]); got != 9 {
				t.Errorf("what was before it was set back has %d entries of 9", got)
			}
			from, to, err := Span(t.Context(), p)
			if err != nil || from.After(moments[1]) || to.Before(moments[12]) {
				t.Errorf("it goes from %s to %s, %v", from, to, err)
			}
			err = Restore(t.Context(), p, from.Add(-time.Hour), filepath.Join(t.TempDir(), "x.db"))
			if err == nil || !strings.Contains(err.Error(), "goes back to "+from.Local().Format(time.DateTime)) {
				t.Errorf("before it began: %v", err)
			}
		})
	}
}

// A data file that is larger than what goes up in one request comes back whole.
func TestALargeFileComesBack(t *testing.T) {
	for name, p := range places(t) {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			db, c, stop := data(t, t.TempDir(), p)
			b := make([]byte, 3*partSize)
			for i := range b {
				b[i] = byte(rand.IntN(256)) // which nothing makes smaller
			}
			if err := db.Write(t.Context(), func(tx *store.Tx) error {
				_, err := tx.AddFile(t.Context(), store.File{Name: "recording", Type: "audio/mpeg", Size: len(b), Data: b})
				return err
			}); err != nil {
				t.Fatal(err)
			}
			write(t, db, "large")
			if err := c.Sync(t.Context()); err != nil {
				t.Fatal(err)
			}
			stop()
			if got := entries(t, p, time.Time{}); got != 1 {
				t.Errorf("%d entries", got)
			}
		})
	}
}

// What is in a bucket is listed in its order, from a transaction on, and dated by its commit, as in a
// folder; what is dropped is gone, and what is not there is said to be missing.
func TestABucketIsListedAsAFolder(t *testing.T) {
	all := places(t)
	db, c, stop := data(t, t.TempDir(), all["folder"])
	for i := range 4 {
		write(t, db, fmt.Sprint(i))
		if err := c.Sync(t.Context()); err != nil {
			t.Fatal(err)
		}
	}
	stop()
	folder, err := all["folder"].open()
	if err != nil {
		t.Fatal(err)
	}
	bucket, err := all["store"].open()
	if err != nil {
		t.Fatal(err)
	}
	list := func(c litestream.ReplicaClient, seek ltx.TXID) (out []ltx.FileInfo) {
		t.Helper()
		it, err := c.LTXFiles(t.Context(), 0, seek, true)
		if err != nil {
			t.Fatal(err)
		}
		for it.Next() {
			out = append(out, *it.Item())
		}
		slices.SortFunc(out, func(x, y ltx.FileInfo) int { return int(x.MinTXID) - int(y.MinTXID) })
		return out
	}
	want := list(folder, 0)
	if len(want) < 4 {
		t.Fatal(want)
	}
	time.Sleep(1100 * time.Millisecond) // so that they come later than they were committed, also to a second
	for _, x := range slices.Backward(want) {
		r, err := folder.OpenLTXFile(t.Context(), 0, x.MinTXID, x.MaxTXID, 0, 0)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := bucket.WriteLTXFile(t.Context(), 0, x.MinTXID, x.MaxTXID, r); err != nil {
			t.Fatal(err)
		}
		_ = r.Close() // it was read
	}
	for _, seek := range []ltx.TXID{0, 3} {
		if got, want := list(bucket, seek), list(folder, seek); !slices.Equal(got, want) {
			t.Errorf("from %d there are %v, in the folder %v", seek, got, want)
		}
	}
	x := want[1]
	part, err := bucket.OpenLTXFile(t.Context(), 0, x.MinTXID, x.MaxTXID, 10, 20)
	if err != nil {
		t.Fatal(err)
	}
	if b, err := io.ReadAll(part); err != nil || len(b) != 20 {
		t.Errorf("a part has %d bytes, %v", len(b), err)
	}
	if err := bucket.DeleteLTXFiles(t.Context(), []*ltx.FileInfo{&x}); err != nil {
		t.Fatal(err)
	}
	if _, err := bucket.OpenLTXFile(t.Context(), 0, x.MinTXID, x.MaxTXID, 0, 0); !errors.Is(err, fs.ErrNotExist) {
		t.Errorf("what is dropped: %v", err)
	}
	if err := bucket.DeleteAll(t.Context()); err != nil || len(list(bucket, 0)) != 0 {
		t.Errorf("%d are left, %v", len(list(bucket, 0)), err)
	}
}

// What is wrong with a place is said in words that tell what to do.
func TestPlacesThatAreNone(t *testing.T) {
	file := filepath.Join(t.TempDir(), "file")
	if err := os.WriteFile(file, nil, 0o600); err != nil {
		t.Fatal(err)
	}
	db, err := store.Open(t.Context(), t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	for says, p := range map[string]Place{
		"neither a folder nor s3": {At: "ftp://x/y"},
		"begins with https://":    {At: "s3://bucket/x", Endpoint: "s3.example.com", Key: "k", Secret: "s"},
		"needs a bucket":          {At: "s3:///x", Endpoint: "https://s3.example.com", Key: "k", Secret: "s"},
		"GREENBATON_COPY_KEY":     {At: "s3://bucket/x", Endpoint: "https://s3.example.com"},
		"keep a copy in " + file:  {At: filepath.Join(file, "below")},
	} {
		if _, err := Start(t.Context(), db.Path(), p, "one", quiet); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("want %q: %v", says, err)
		}
	}
	if err := Restore(t.Context(), Place{At: t.TempDir()}, time.Time{}, filepath.Join(t.TempDir(), "x.db")); err == nil || !strings.Contains(err.Error(), "there is no copy at") {
		t.Error(err)
	}
}

// What is written right after the start is in the copy when it is stopped at once.
func TestAStopAtOnceLosesNothing(t *testing.T) {
	for name, p := range places(t) {
		for n := range int64(2) { // new, and gone on from what is there
			dir := t.TempDir()
			if n > 0 {
				if err := Restore(t.Context(), p, time.Time{}, filepath.Join(dir, store.FileName)); err != nil {
					t.Fatal(err)
				}
			}
			db, _, stop := data(t, dir, p)
			write(t, db, "at once")
			stop()
			if got := entries(t, p, time.Time{}); got != n+1 {
				t.Errorf("%s: %d entries of %d", name, got, n+1)
			}
		}
	}
}

// A place belongs to one house: another one is refused, and what is there stays as it is.
func TestAPlaceBelongsToOneHouse(t *testing.T) {
	for name, p := range places(t) {
		db, c, stop := data(t, t.TempDir(), p)
		write(t, db, "of the first")
		if err := c.Sync(t.Context()); err != nil {
			t.Fatal(err)
		}
		other, err := store.Open(t.Context(), t.TempDir())
		if err != nil {
			t.Fatal(err)
		}
		if _, err := Start(t.Context(), other.Path(), p, "two", quiet); err == nil || !strings.Contains(err.Error(), "the copy of another newsroom") {
			t.Errorf("%s: %v", name, err)
		}
		open, err := p.open()
		if err != nil {
			t.Fatal(err)
		}
		late := &owned{ReplicaClient: open, house: "two", at: p.At} // which could not be looked at when it began
		if _, err := late.WriteLTXFile(t.Context(), 0, 1, 1, strings.NewReader("")); !errors.Is(err, errOther) {
			t.Errorf("%s, written: %v", name, err)
		}
		if err := errors.Join(late.DeleteAll(t.Context()), late.DeleteLTXFiles(t.Context(), nil)); !errors.Is(err, errOther) {
			t.Errorf("%s, dropped: %v", name, err)
		}
		write(t, db, "and once more")
		stop()
		if got := entries(t, p, time.Time{}); got != 2 {
			t.Errorf("%s: %d entries of the first", name, got)
		}
		if err := other.Close(); err != nil {
			t.Error(err)
		}
	}
}

// A store that cannot be reached keeps nobody from working, and the copy is never said to be as the data.
func TestAStoreThatCannotBeReachedIsTriedOn(t *testing.T) {
	p := places(t)["store"]
	p.At = "s3://nobody-made-this/x"
	db, c, _ := data(t, t.TempDir(), p)
	write(t, db, "one")
	soon, cancel := context.WithTimeout(t.Context(), 3*time.Second)
	defer cancel()
	if err := c.Sync(soon); err == nil {
		t.Error("it says it was copied")
	}
	if at, ever := c.Last(); ever || at.IsZero() || time.Since(at) > time.Minute {
		t.Error("it says it was copied at ", at, ever)
	}
	write(t, db, "two")
	if _, _, err := Span(t.Context(), p); err == nil {
		t.Error("what cannot be looked at is empty")
	}
	_ = c.Close(t.Context()) // it says that the rest could not be copied
	if err := db.Close(); err != nil {
		t.Error(err)
	}
}
