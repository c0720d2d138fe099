package replica

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"slices"
	"strings"
	"time"

	"github.com/benbjohnson/litestream"
	"github.com/minio/minio-go/v7"
	"github.com/superfly/ltx"
	"golang.org/x/sync/errgroup"
)

// bucketed writes and reads a copy in a bucket of a store that speaks S3. Its objects are named and dated
// as those of the engine's own program are, which can read them.
type bucketed struct {
	store  *minio.Client
	bucket string
	folder string
}

// dated is by what an object says when what is in it was committed.
const dated = "Litestream-Timestamp"

// partSize is in how many bytes at a time objects go up whose size is not known; 10,000 of them are the
// most (Amazon S3, User Guide, "Multipart upload limits").
const partSize = 16 << 20

// Type says what kind of place it is.
func (b *bucketed) Type() string { return "s3" }

// SetLogger does nothing: what goes wrong is given to who asked.
func (b *bucketed) SetLogger(*slog.Logger) {}

// Init does nothing: a bucket that cannot be reached yet is tried again with every write.
func (b *bucketed) Init(context.Context) error { return nil }

// level is the folder of a level of a copy.
func (b *bucketed) level(level int) string {
	return b.named(fmt.Sprintf("%04x/", level))
}

// named gives the key of something in the folder of a copy.
func (b *bucketed) named(name string) string { return strings.TrimPrefix(b.folder+"/"+name, "/") }

func (b *bucketed) key(level int, from, to ltx.TXID) string {
	return b.level(level) + ltx.FormatFilename(from, to)
}

// LTXFiles lists the files of a level in their order, from a transaction on; with the times of their
// commits where those are asked for, otherwise with those at which they came.
func (b *bucketed) LTXFiles(ctx context.Context, level int, seek ltx.TXID, exact bool) (ltx.FileIterator, error) {
	ctx, stop := context.WithCancel(ctx)
	defer stop() // of a listing that is not read to its end
	var all []*ltx.FileInfo
	for o := range b.store.ListObjects(ctx, b.bucket, minio.ListObjectsOptions{Prefix: b.level(level)}) {
		if o.Err != nil {
			return nil, fmt.Errorf("list %s: %w", b.bucket, o.Err)
		}
		from, to, err := ltx.ParseFilename(strings.TrimPrefix(o.Key, b.level(level)))
		if err != nil || from < seek {
			continue
		}
		all = append(all, &ltx.FileInfo{Level: level, MinTXID: from, MaxTXID: to, Size: o.Size, CreatedAt: o.LastModified.UTC()})
	}
	slices.SortFunc(all, func(x, y *ltx.FileInfo) int {
		return cmp.Or(cmp.Compare(x.MinTXID, y.MinTXID), cmp.Compare(x.MaxTXID, y.MaxTXID))
	})
	if exact {
		g, ctx := errgroup.WithContext(ctx)
		g.SetLimit(16)
		for _, x := range all {
			g.Go(func() error { return b.date(ctx, x) })
		}
		if err := g.Wait(); err != nil {
			return nil, err
		}
	}
	return ltx.NewFileInfoSliceIterator(all), nil
}

// date finds when what is in a file was committed.
func (b *bucketed) date(ctx context.Context, x *ltx.FileInfo) error {
	o, err := b.store.StatObject(ctx, b.bucket, b.key(x.Level, x.MinTXID, x.MaxTXID), minio.StatObjectOptions{})
	if err != nil {
		return fmt.Errorf("look at %s: %w", b.bucket, missing(err))
	}
	if at, err := time.Parse(time.RFC3339Nano, o.UserMetadata[dated]); err == nil {
		x.CreatedAt = at.UTC()
	}
	return nil
}

// OpenLTXFile reads a file, or a part of it.
func (b *bucketed) OpenLTXFile(ctx context.Context, level int, from, to ltx.TXID, offset, size int64) (io.ReadCloser, error) {
	var o minio.GetObjectOptions
	if offset > 0 || size > 0 {
		end := int64(0) // to the end of it
		if size > 0 {
			end = offset + size - 1
		}
		if err := o.SetRange(offset, end); err != nil {
			return nil, err
		}
	}
	// By the core, as otherwise nothing is asked before it is read, and what is not there is not said here.
	body, _, _, err := (&minio.Core{Client: b.store}).GetObject(ctx, b.bucket, b.key(level, from, to), o)
	if err != nil {
		return nil, fmt.Errorf("read %s: %w", b.bucket, missing(err))
	}
	return body, nil
}

// WriteLTXFile writes a file, dated by what stands in it.
func (b *bucketed) WriteLTXFile(ctx context.Context, level int, from, to ltx.TXID, r io.Reader) (*ltx.FileInfo, error) {
	head, r, err := ltx.PeekHeader(r)
	if err != nil {
		return nil, fmt.Errorf("read what is to be copied: %w", err)
	}
	at := time.UnixMilli(head.Timestamp).UTC()
	size := int64(-1)
	first, err := io.ReadAll(io.LimitReader(r, partSize))
	if err != nil {
		return nil, fmt.Errorf("read what is to be copied: %w", err)
	}
	if len(first) < partSize { // most are small, and go up in one request
		size = int64(len(first))
	}
	// Summed by MD5 and sent as it is: not every store that speaks S3 takes bodies signed piece by piece.
	o, err := b.store.PutObject(ctx, b.bucket, b.key(level, from, to), io.MultiReader(bytes.NewReader(first), r), size,
		minio.PutObjectOptions{PartSize: partSize, UserMetadata: map[string]string{dated: at.Format(time.RFC3339Nano)}, ContentType: "application/octet-stream", SendContentMd5: true, DisableContentSha256: true})
	if err != nil {
		return nil, fmt.Errorf("write to %s: %w", b.bucket, err)
	}
	return &ltx.FileInfo{Level: level, MinTXID: from, MaxTXID: to, Size: o.Size, CreatedAt: at}, nil
}

// DeleteLTXFiles drops files.
func (b *bucketed) DeleteLTXFiles(ctx context.Context, all []*ltx.FileInfo) error {
	for _, x := range all {
		if err := b.store.RemoveObject(ctx, b.bucket, b.key(x.Level, x.MinTXID, x.MaxTXID), minio.RemoveObjectOptions{}); err != nil {
			return fmt.Errorf("drop from %s: %w", b.bucket, err)
		}
	}
	return nil
}

// DeleteAll drops the whole copy.
func (b *bucketed) DeleteAll(ctx context.Context) error {
	for level := range litestream.SnapshotLevel + 1 {
		all, err := b.LTXFiles(ctx, level, 0, false)
		if err != nil {
			return err
		}
		for all.Next() {
			if err := b.DeleteLTXFiles(ctx, []*ltx.FileInfo{all.Item()}); err != nil {
				return errors.Join(err, all.Close())
			}
		}
		if err := all.Close(); err != nil {
			return err
		}
	}
	return nil
}

// missing says of an object that is not there what is said of a file.
func missing(err error) error {
	if minio.ToErrorResponse(err).Code == minio.NoSuchKey {
		return errors.Join(fs.ErrNotExist, err)
	}
	return err
}
