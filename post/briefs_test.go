package post

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"reflect"
	"strings"
	"testing"

	"greenbaton/core/brief"
	"greenbaton/newsroom"
)

var asked = newsroom.BriefAsk{
	Title: "The last tide mill turns again", Format: "Feature", Phrases: []string{"tide mill"}, Sections: []string{"How it works"}, Parts: []string{"angle", "musts", "like", "next", "links", "phrase"},
	Notes: []string{"Joan Arkell opened the sluice in 1987. It leaks. See https://mill.example/lease for the lease", "nothing new"},
	Like:  []newsroom.LikePiece{{Number: 12, Title: "The tide mill", Out: true}, {Number: 40, Title: "A mill that turns"}},
}

// The stand-in says only what it was told, in a form that a brief can have, always the same.
func TestTheStandInMakesNothingUp(t *testing.T) {
	d, err := Briefs{}.WriteBrief(context.Background(), asked)
	if err != nil {
		t.Fatal(err)
	}
	want := map[string]string{
		"angle": "What “The tide mill” does not say yet: last, again.", "phrase": "tide mill", "audience": "Readers who look for “tide mill”.", "goal": "A reader who came with “tide mill” has the answer.",
		"musts": "Joan Arkell opened the sluice in 1987.", "links": "https://mill.example/lease", "like": "No. 12, The tide mill\nNo. 40, A mill that turns", "next": "No. 12, The tide mill", "headings": "1",
	}
	if !reflect.DeepEqual(d.Answers, want) {
		t.Errorf("drafted %q", d.Answers)
	}
	if _, err := (brief.Brief{About: d.About, Answers: d.Answers}).Check(); err != nil {
		t.Errorf("no brief can have it: %v", err)
	}
	if o, err := d.Outline.Check(); err != nil || len(o) != 2 || o[1].Heading != "How it works" {
		t.Errorf("the outline is %+v, %v", o, err)
	}
	if again, _ := (Briefs{}).WriteBrief(context.Background(), asked); !reflect.DeepEqual(again, d) {
		t.Error("it drafts another one the second time")
	}
	if d, err := (Briefs{}).WriteBrief(context.Background(), newsroom.BriefAsk{Title: "Rye"}); err != nil || len(d.Outline) != 2 || d.About != "" {
		t.Errorf("of a title alone: %+v, %v", d, err)
	}
}

// A real service is sent what is known as JSON, and what goes wrong there is an error.
func TestARealBriefWriterIsAskedByPost(t *testing.T) {
	answer, status := `{"about":"A mill.","answers":{"angle":"It turns."},"outline":[{"heading":"Low water","advice":"Begin here."}]}`, http.StatusOK
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		var got newsroom.BriefAsk
		if err := json.NewDecoder(r.Body).Decode(&got); err != nil || r.Method != http.MethodPost || !reflect.DeepEqual(got, asked) {
			t.Errorf("asked with %s: %+v, %v", r.Method, got, err)
		}
		w.WriteHeader(status)
		fmt.Fprint(w, answer)
	}))
	defer srv.Close()
	d, err := RemoteBriefs{srv.URL}.WriteBrief(context.Background(), asked)
	if err != nil || d.About != "A mill." || d.Answers["angle"] != "It turns." || d.Outline[0].Heading != "Low water" {
		t.Errorf("%+v, %v", d, err)
	}
	for _, x := range []struct {
		answer string
		status int
	}{{"{}", 500}, {"<html>", 200}, {strings.Repeat(" ", maxAnswer) + "{}", 200}} {
		answer, status = x.answer, x.status
		if _, err := (RemoteBriefs{srv.URL}).WriteBrief(context.Background(), asked); err == nil {
			t.Errorf("%d with %.10q is no error", x.status, x.answer)
		}
	}
	if _, err := (RemoteBriefs{"http://127.0.0.1:1"}).WriteBrief(context.Background(), asked); err == nil {
		t.Error("nobody there is no error")
	}
}
