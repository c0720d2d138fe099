// Package replica keeps a copy of the data file up all the time, in a folder or in a store that speaks S3,
// and makes the data of any moment from it.
package replica

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/benbjohnson/litestream"
	"github.com/benbjohnson/litestream/file"
	"github.com/minio/minio-go/v7"
	"github.com/minio/minio-go/v7/pkg/credentials"
)

// Place says where a copy is kept.
type Place struct {
	At       string // a folder, or s3://bucket/folder
	Endpoint string // of the store, like https://s3.example.com
	Key      string // with which it lets in
	Secret   string
	Region   string
}

// How long copies reach back, how often the whole of it is written anew, and how fine they are: to each
// commit for an hour, to half a minute after that.
const (
	kept      = 30 * 24 * time.Hour
	anew      = 24 * time.Hour
	finest    = time.Hour
	checked   = time.Minute
	lastSync  = 20 * time.Second // for what is written when the program is stopped
	firstLook = 5 * time.Second  // whose copy is there
)

// open gives what writes and reads at a place.
func (p Place) open() (litestream.ReplicaClient, error) {
	rest, isStore := strings.CutPrefix(p.At, "s3://")
	if !isStore {
		if strings.Contains(p.At, "://") {
			return nil, fmt.Errorf("%s is neither a folder nor s3://bucket/folder", p.At)
		}
		return file.NewReplicaClient(p.At), nil
	}
	bucket, folder, _ := strings.Cut(rest, "/")
	u, err := url.Parse(p.Endpoint)
	if err != nil || u.Host == "" || u.Scheme != "https" && u.Scheme != "http" {
		return nil, errors.New("the address of the store begins with https://; give it with --copy-endpoint")
	}
	if bucket == "" || p.Key == "" || p.Secret == "" {
		return nil, errors.New("a store needs a bucket, as in s3://bucket/folder, a key and its secret; give these in GREENBATON_COPY_KEY and GREENBATON_COPY_SECRET")
	}
	c, err := minio.New(u.Host, &minio.Options{Creds: credentials.NewStaticV4(p.Key, p.Secret, ""), Secure: u.Scheme == "https", Region: p.Region, BucketLookup: minio.BucketLookupPath})
	if err != nil {
		return nil, fmt.Errorf("reach the store: %w", err)
	}
	return &bucketed{store: c, bucket: bucket, folder: strings.Trim(folder, "/")}, nil
}

// Copying is a copy that is kept up.
type Copying struct {
	db    *litestream.DB
	store *litestream.Store
	begun time.Time
}

// Start keeps a copy of the open data file of a house up at a place until it is closed. It needs the file to
// be in WAL mode, and writes beside it what it has copied. A place that has the copy of another house is
// refused. One that cannot be reached is tried again and again; that is in the log, and [Copying.Last] says
// since when.
func Start(ctx context.Context, path string, p Place, house string, log *slog.Logger) (*Copying, error) {
	open, err := p.open()
	if err != nil {
		return nil, err
	}
	if f, ok := open.(*file.ReplicaClient); ok { // a slip in the path is said at once
		if err := os.MkdirAll(f.Path(), 0o700); err != nil {
			return nil, fmt.Errorf("keep a copy in %s: %w", p.At, err)
		}
	}
	client := &owned{ReplicaClient: open, house: house, at: p.At}
	soon, cancel := context.WithTimeout(ctx, firstLook)
	defer cancel()
	if err := client.claim(soon); errors.Is(err, errOther) {
		return nil, err
	} else if err != nil {
		log.Warn("keep a copy", "problem", err)
	}
	db := litestream.NewDB(path)
	db.SetMetaPath(Beside(path))
	db.Replica = litestream.NewReplicaWithClient(db, client)
	levels := litestream.DefaultCompactionLevels
	s := litestream.NewStore([]*litestream.DB{db}, levels)
	s.Logger = log
	s.SnapshotInterval, s.SnapshotRetention, s.L0Retention, s.L0RetentionCheckInterval = anew, kept, finest, checked
	s.ShutdownSyncTimeout = lastSync
	db.SetLogger(log)
	client.SetLogger(log)
	db.L0Retention, db.ShutdownSyncTimeout = s.L0Retention, s.ShutdownSyncTimeout
	if err := s.Open(ctx); err != nil {
		return nil, fmt.Errorf("keep a copy at %s: %w", p.At, err)
	}
	return &Copying{db, s, time.Now()}, nil
}

// Beside is the folder beside a data file in which stands what was copied of it.
func Beside(path string) string { return filepath.Join(filepath.Dir(path), "copying") }

// Sync returns when all that is committed by now is at the place.
func (c *Copying) Sync(ctx context.Context) error { return c.db.SyncAndWait(ctx) }

// Last is when the copy was last known to be as the data; where it never was since Start, that is said, and
// it is when it began.
func (c *Copying) Last() (at time.Time, ever bool) {
	if at := c.db.LastSuccessfulSyncAt(); !at.IsZero() {
		return at, true
	}
	return c.begun, false
}

// Close copies the rest and ends; it goes before the data file is closed.
func (c *Copying) Close(ctx context.Context) error {
	if _, ever := c.Last(); !ever { // it is stopped so soon that nothing was looked at yet, and by itself would not be
		soon, cancel := context.WithTimeout(ctx, lastSync)
		defer cancel()
		if err := c.Sync(soon); err != nil {
			return errors.Join(fmt.Errorf("end the copy: %w", err), c.store.Close(ctx))
		}
	}
	if err := c.store.Close(ctx); err != nil {
		return fmt.Errorf("end the copy: %w", err)
	}
	return nil
}

// Span gives the first and the last moment to which the copy at a place goes back; zero where there is none.
func Span(ctx context.Context, p Place) (from, to time.Time, err error) {
	client, err := p.open()
	if err != nil {
		return from, to, err
	}
	return span(ctx, client)
}

func span(ctx context.Context, client litestream.ReplicaClient) (from, to time.Time, err error) {
	for level := range litestream.SnapshotLevel + 1 {
		all, err := client.LTXFiles(ctx, level, 0, true)
		if err != nil {
			return from, to, fmt.Errorf("look at the copy: %w", err)
		}
		for all.Next() {
			x := all.Item()
			if whole := level == litestream.SnapshotLevel || x.MinTXID == 1; whole && (from.IsZero() || x.CreatedAt.Before(from)) {
				from = x.CreatedAt
			}
			if x.CreatedAt.After(to) {
				to = x.CreatedAt
			}
		}
		if err := all.Close(); err != nil {
			return from, to, fmt.Errorf("look at the copy: %w", err)
		}
	}
	return from, to, nil
}

// Restore makes the data file of a moment from the copy at a place, of the newest where the moment is
// zero. The file must not exist yet.
func Restore(ctx context.Context, p Place, at time.Time, to string) error {
	client, err := p.open()
	if err != nil {
		return err
	}
	client.SetLogger(slog.New(slog.DiscardHandler))
	from, last, err := span(ctx, client)
	switch {
	case err != nil:
		return err
	case from.IsZero():
		return fmt.Errorf("there is no copy at %s", p.At)
	case !at.IsZero() && at.Before(from):
		return fmt.Errorf("the copy at %s goes back to %s, and from there to %s", p.At, from.Local().Format(time.DateTime), last.Local().Format(time.DateTime))
	}
	r := litestream.NewReplicaWithClient(nil, client)
	o := litestream.NewRestoreOptions()
	o.OutputPath = to
	if !at.IsZero() {
		o.Timestamp = at.Add(time.Millisecond) // what was committed in that moment is in it
	}
	if err := r.Restore(ctx, o); err != nil {
		return fmt.Errorf("restore from %s: %w", p.At, err)
	}
	return nil
}
