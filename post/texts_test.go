package post

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"greenbaton/newsroom"
)

var toldOf = newsroom.TextAsk{
	Title: "The last tide mill", TitleLimit: 40, Headings: []string{"How it began"}, Limits: map[string]int{"description": 60, "say-short": 30}, Tags: []string{"mill"},
	Paragraphs: []string{"Twice a day the river fills the pond at Skelder Pill. Eleven years are left on the lease.", "The pond is full for four hours."},
}

func TestTheStandInTakesItsTextsFromTheCopy(t *testing.T) {
	d, err := Texts{}.WriteTexts(context.Background(), toldOf)
	if err != nil || d.Texts["description"] != "Twice a day the river fills the pond at Skelder Pill." || len([]rune(d.Texts["say-short"])) > 30 {
		t.Errorf("%v %q", err, d.Texts)
	}
	for key, text := range d.Texts {
		for _, w := range strings.Fields(strings.TrimSuffix(text, "…")) {
			if !strings.Contains(strings.Join(toldOf.Paragraphs, " "), w) {
				t.Errorf("%s says %q, which is not in the copy", key, w)
			}
		}
	}
	if d, err := (Texts{}).WriteTexts(context.Background(), newsroom.TextAsk{Limits: map[string]int{"description": 60}}); err != nil || len(d.Texts) != 0 {
		t.Errorf("of no copy: %v, %v", d, err)
	}
}

func TestARealTextWriterIsAskedByPost(t *testing.T) {
	answer, status := `{"texts":{"description":"A mill."},"titles":["It turns"],"tags":["tides"]}`, http.StatusOK
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.WriteHeader(status)
		fmt.Fprint(w, answer)
	}))
	defer srv.Close()
	d, err := RemoteTexts{srv.URL}.WriteTexts(context.Background(), toldOf)
	if err != nil || d.Texts["description"] != "A mill." || len(d.Titles) != 1 || len(d.Tags) != 1 {
		t.Errorf("%v %+v", err, d)
	}
	for _, x := range []struct {
		says   string
		status int
	}{{"{", 200}, {"no", 500}, {strings.Repeat("x", maxAnswer+10), 200}} {
		if answer, status = x.says, x.status; true {
			if _, err := (RemoteTexts{srv.URL}).WriteTexts(context.Background(), toldOf); err == nil {
				t.Errorf("%.10q with %d is taken", x.says, x.status)
			}
		}
	}
}
