package newsroom

import (
	"context"
	"sync/atomic"
)

// Receipt says whether anything was stored on behalf of a request, so that what fails
// after that is not answered as if nothing had been done.
type Receipt struct{ stored atomic.Bool }

// Stored reports whether a command was stored.
func (r *Receipt) Stored() bool { return r != nil && r.stored.Load() }

type receiptKey struct{}

// WithReceipt gives a context whose acts note on a receipt that they were stored.
func WithReceipt(ctx context.Context) context.Context {
	return context.WithValue(ctx, receiptKey{}, &Receipt{})
}

// ReceiptOf gives the receipt of a context, nil if it has none.
func ReceiptOf(ctx context.Context) *Receipt {
	r, _ := ctx.Value(receiptKey{}).(*Receipt)
	return r
}

func noteStored(ctx context.Context) {
	if r := ReceiptOf(ctx); r != nil {
		r.stored.Store(true)
	}
}
