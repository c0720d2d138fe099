package replica

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"sync"

	"github.com/benbjohnson/litestream"
	"github.com/minio/minio-go/v7"
	"github.com/superfly/ltx"
)

// mark is the name of what says at a place whose copy it is.
const mark = "house"

// errOther says that a place has the copy of another house.
var errOther = errors.New("there is the copy of another newsroom")

// owned writes to a place only once it is known that no other house does.
type owned struct {
	litestream.ReplicaClient
	house string
	at    string
	mu    sync.Mutex
	mine  bool
}

// claim looks whose copy a place has, and takes one that nobody has.
func (o *owned) claim(ctx context.Context) error {
	o.mu.Lock()
	defer o.mu.Unlock()
	if o.mine {
		return nil
	}
	whose, err := o.read(ctx)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		if err := o.write(ctx); err != nil {
			return fmt.Errorf("write to %s: %w", o.at, err)
		}
	case err != nil:
		return fmt.Errorf("look at %s: %w", o.at, err)
	case whose != o.house:
		return fmt.Errorf("at %s %w; give each house a folder of its own", o.at, errOther)
	}
	o.mine = true
	return nil
}

func (o *owned) read(ctx context.Context) (string, error) {
	b, ok := o.ReplicaClient.(*bucketed)
	if !ok {
		whose, err := os.ReadFile(filepath.Join(o.at, mark))
		return strings.TrimSpace(string(whose)), err
	}
	body, _, _, err := (&minio.Core{Client: b.store}).GetObject(ctx, b.bucket, b.named(mark), minio.GetObjectOptions{})
	if err != nil {
		return "", missing(err)
	}
	whose, err := io.ReadAll(io.LimitReader(body, 1000))
	return strings.TrimSpace(string(whose)), errors.Join(err, body.Close())
}

func (o *owned) write(ctx context.Context) error {
	b, ok := o.ReplicaClient.(*bucketed)
	if !ok {
		return os.WriteFile(filepath.Join(o.at, mark), []byte(o.house+"\n"), 0o600)
	}
	_, err := b.store.PutObject(ctx, b.bucket, b.named(mark), strings.NewReader(o.house+"\n"), int64(len(o.house)+1), minio.PutObjectOptions{SendContentMd5: true, DisableContentSha256: true})
	return err
}

// WriteLTXFile writes a file of the copy.
func (o *owned) WriteLTXFile(ctx context.Context, level int, from, to ltx.TXID, r io.Reader) (*ltx.FileInfo, error) {
	if err := o.claim(ctx); err != nil {
		return nil, err
	}
	return o.ReplicaClient.WriteLTXFile(ctx, level, from, to, r)
}

// DeleteLTXFiles drops files of the copy.
func (o *owned) DeleteLTXFiles(ctx context.Context, all []*ltx.FileInfo) error {
	if err := o.claim(ctx); err != nil {
		return err
	}
	return o.ReplicaClient.DeleteLTXFiles(ctx, all)
}

// DeleteAll drops the whole copy.
func (o *owned) DeleteAll(ctx context.Context) error {
	if err := o.claim(ctx); err != nil {
		return err
	}
	return o.ReplicaClient.DeleteAll(ctx)
}
