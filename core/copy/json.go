package copy

import (
	"encoding/json"
	"fmt"
	"strings"
)

// MarshalJSON writes a step as an object.
func (o Op) MarshalJSON() ([]byte, error) { return o.append(nil), nil }

func (o Op) append(b []byte) []byte {
	switch {
	case o.Delete > 0:
		return fmt.Appendf(b, `{"delete":%d}`, o.Delete)
	case o.Retain > 0:
		b = fmt.Appendf(b, `{"retain":%d`, o.Retain)
	case o.Embed != "":
		b = append(append(b, `{"insert":`...), o.Embed...)
	default:
		b = appendString(append(b, `{"insert":`...), o.Insert)
	}
	if len(o.Attributes) > 0 {
		b = o.Attributes.append(append(b, `,"attributes":`...))
	}
	return append(b, '}')
}

// JSON writes the bare list of steps.
func (c Change) JSON() []byte {
	b := []byte{'['}
	for i, o := range c {
		if i > 0 {
			b = append(b, ',')
		}
		b = o.append(b)
	}
	return append(b, ']')
}

// MarshalJSON writes the bare list of steps.
func (c Change) MarshalJSON() ([]byte, error) { return c.JSON(), nil }

// UnmarshalJSON reads what ParseChange reads.
func (c *Change) UnmarshalJSON(b []byte) (err error) {
	*c, err = ParseChange(b)
	return err
}

// ParseChange reads a change written as JSON, {"ops": [...]} or the bare list, and
// puts it into the one way it can be written. Steps that say nothing, more than one
// thing, or a length below one are errors.
func ParseChange(b []byte) (Change, error) {
	raw, err := readOps(b)
	if err != nil {
		return nil, err
	}
	var c runs
	for _, r := range raw {
		o, err := r.op()
		if err != nil {
			return nil, err
		}
		c.push(o)
	}
	return c.change().chop(), nil
}

// rawOp is a step as it is written.
type rawOp struct {
	Insert     json.RawMessage `json:"insert"`
	Retain     *int            `json:"retain"`
	Delete     *int            `json:"delete"`
	Attributes Attributes      `json:"attributes"`
}

func readOps(b []byte) ([]rawOp, error) {
	if len(b) > MaxBytes {
		return nil, fmt.Errorf("the copy is larger than %d MB; split the piece in two", MaxBytes>>20)
	}
	if s := strings.TrimSpace(string(b)); strings.HasPrefix(s, "{") {
		var whole struct{ Ops json.RawMessage }
		if err := json.Unmarshal(b, &whole); err != nil {
			return nil, fmt.Errorf("the copy could not be read: %w", err)
		}
		b = whole.Ops
	}
	var raw []rawOp
	if err := json.Unmarshal(b, &raw); err != nil {
		return nil, fmt.Errorf("the copy could not be read: %w", err)
	}
	return raw, nil
}

func (r rawOp) op() (Op, error) {
	o := Op{Attributes: r.Attributes}
	says := 0
	if r.Insert != nil {
		says++
		if err := o.insert(r.Insert); err != nil {
			return o, err
		}
	}
	for _, x := range []struct{ from, to *int }{{r.Retain, &o.Retain}, {r.Delete, &o.Delete}} {
		if x.from == nil {
			continue
		}
		if says++; *x.from < 1 || *x.from > MaxBytes {
			return o, fmt.Errorf("%w: a length of %d", ErrMisfit, *x.from)
		}
		*x.to = *x.from
	}
	if says != 1 {
		return o, fmt.Errorf("%w: a step inserts, keeps or deletes", ErrMisfit)
	}
	if o.Delete > 0 {
		o.Attributes = nil
	}
	return o, nil
}

func (o *Op) insert(raw json.RawMessage) error {
	if len(raw) > 0 && raw[0] == '"' {
		if err := json.Unmarshal(raw, &o.Insert); err != nil {
			return err
		}
		o.Insert = strings.ReplaceAll(o.Insert, "\r", "")
		return nil
	}
	if len(raw) == 0 || raw[0] != '{' {
		return fmt.Errorf("%w: what is inserted is text or an object", ErrMisfit)
	}
	v, err := canonical(raw)
	o.Embed = v
	return err
}
