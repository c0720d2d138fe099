package relay

import (
	"slices"
	"strings"
)

// The most tags of a piece, and the most letters of one.
const maxTags, maxTag = 20, 40

// ReadTags reads tags typed with commas between them: trimmed, each once, in order.
// A *Refusal says what is too much.
func ReadTags(text string) (string, error) {
	var out []string
	for t := range strings.SplitSeq(text, ",") {
		t = strings.Join(strings.Fields(t), " ")
		if len([]rune(t)) > maxTag {
			return "", &Refusal{Reason: ErrInput, Field: "tags", Text: "Keep each tag under 40 letters; commas part them."}
		}
		if t != "" && !slices.ContainsFunc(out, func(x string) bool { return strings.EqualFold(x, t) }) {
			out = append(out, t)
		}
	}
	if len(out) > maxTags {
		return "", &Refusal{Reason: ErrInput, Field: "tags", Text: "Keep to twenty tags; a piece with more is found no better."}
	}
	slices.SortFunc(out, func(a, b string) int { return strings.Compare(strings.ToLower(a), strings.ToLower(b)) })
	return strings.Join(out, ","), nil
}
