package query

import (
	"greenbaton/core/ref"
	"slices"
	"strings"
	"testing"
)

func TestWhoMaySettle(t *testing.T) {
	open, only := Query{By: 1, ForID: 2}, Query{By: 1, ForID: 2, Only: true}
	for _, x := range []struct {
		name                string
		q                   Query
		who                 ref.Person
		decides, lead, gone bool
		want                bool
	}{
		{"who asked", open, 1, false, false, false, true}, {"whom it is for", open, 2, false, false, false, true},
		{"who decides on the copy", open, 3, true, false, false, true}, {"anybody else", open, 3, false, false, false, false},
		{"who asked, where only another may", only, 1, true, true, false, false}, {"only they", only, 2, false, false, false, true},
		{"a lead when they are gone", only, 3, false, true, true, true}, {"others when they are gone", only, 1, true, false, true, false},
	} {
		if got := x.q.MaySettle(x.who, x.decides, x.lead, x.gone); got != x.want {
			t.Errorf("%s: %v", x.name, got)
		}
	}
}

func TestWhoseTurnItIs(t *testing.T) {
	say := func(by ...ref.Person) (out []Answer) {
		for _, b := range by {
			out = append(out, Answer{By: b})
		}
		return out
	}
	to, any := Query{By: 1, ForID: 2}, Query{By: 1}
	for _, x := range []struct {
		name     string
		q        Query
		answers  []Answer
		turn     ref.Person
		answered bool
	}{
		{"asked", to, nil, 2, false}, {"answered", to, say(2), 1, true}, {"asked again", to, say(2, 1), 2, true},
		{"somebody else spoke", to, say(3), 2, true}, {"and whom it is for before", to, say(2, 3), 1, true},
		{"for nobody in particular", any, nil, 0, false}, {"somebody answered", any, say(3), 1, true}, {"who asked added to it", any, say(1), 0, false},
		{"settled", Query{By: 1, ForID: 2, SettledAt: 5}, nil, 0, true},
	} {
		if got := x.q.Turn(x.answers); got != x.turn {
			t.Errorf("%s: it is the turn of %d, want %d", x.name, got, x.turn)
		}
		if got := x.q.Answered(x.answers); got != x.answered {
			t.Errorf("%s: answered is %v", x.name, got)
		}
	}
}

func TestMentions(t *testing.T) {
	people := []Named{{1, "Ruth Ainsley"}, {2, "Dao Fennimore"}, {3, "Ruth Orr"}, {4, "Zoë Ŵyn"}}
	for text, want := range map[string][]ref.Person{
		"@Dao, look": {2}, "ask @ruth ainsley and @DAO.": {1, 2}, "@Ruth": nil, "dao@ruth orr": nil, "(@Ruth Orr)": {3}, "@Daoist": nil, "@dao @Dao": {2}, "@": nil, "no": nil, "@zoë": {4},
	} {
		if got := Mentions(text, people); !slices.Equal(got, want) {
			t.Errorf("%q: %v, want %v", text, got, want)
		}
	}
}

func TestAQueryIsPutIntoForm(t *testing.T) {
	q, err := Query{Text: "  Which? \r\n", Quote: "since\n 1742 " + strings.Repeat("x", 400)}.Check()
	if err != nil || q.Text != "Which?" || len([]rune(q.Quote)) != MaxQuote || !strings.HasPrefix(q.Quote, "since 1742 x") {
		t.Errorf("%+v, %v", q, err)
	}
	for _, bad := range []Query{{}, {Text: " "}, {Text: strings.Repeat("é", MaxText+1)}, {Text: "x", Only: true}, {Text: "x", About: Picture}, {Text: "x", About: Picture, FileID: 1, X: 101}} {
		if _, err := bad.Check(); err == nil {
			t.Errorf("%+v is taken", bad)
		}
	}
}

func FuzzMentions(f *testing.F) {
	f.Add("@Ruth \xff@")
	f.Fuzz(func(t *testing.T, s string) { Mentions(s, []Named{{1, "Ruth"}, {2, ""}}) })
}
