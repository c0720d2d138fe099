package format

import (
	"encoding/xml"
	"strings"
	"testing"
	"time"

	"github.com/mmcdole/gofeed"
	"github.com/mmcdole/gofeed/rss"

	"greenbaton/core/release"
)

// RSS 2.0 (www.rssboard.org/rss-specification): a channel has title, link and description; an
// enclosure has url, length and type; dates are those of RFC 822, with years of four figures.
// Read back by a general feed parser.
func TestRSSHasWhatTheStandardRequires(t *testing.T) {
	at := time.Date(2026, 11, 24, 8, 0, 0, 0, time.FixedZone("", 3600))
	pages := []FeedPage{
		{Title: "T <1> & more", Summary: "S & s", Author: "A", Address: "http://x.example/1", HTML: "<p>b & c ]]> d</p>", Published: at, Updated: at,
			Sound: &FeedSound{"http://x.example/1.mp3", "audio/mpeg", 1234, 3725}, Chapters: []release.Chapter{{Seconds: 0, Title: "Begin"}, {Seconds: 3661, Title: "“End” & <after>"}}},
		{Title: "T2", Author: "B", Address: "http://x.example/2", HTML: "<p>d</p>", Published: at, Updated: at.Add(time.Hour)},
	}
	s, err := RSS("Millrace, Audio", "What is heard", "http://x.example/feed.rss", "http://x.example", at, pages)
	if err != nil {
		t.Fatal(err)
	}
	f, err := (&rss.Parser{}).Parse(strings.NewReader(s))
	if err != nil {
		t.Fatalf("%v in\n%s", err, s)
	}
	if f.Version != "2.0" || f.Title != "Millrace, Audio" || f.Link != "http://x.example" || f.Description != "What is heard" || f.LastBuildDateParsed == nil || !f.LastBuildDateParsed.Equal(at.Add(time.Hour)) {
		t.Errorf("the channel is read as %+v", f)
	}
	if len(f.Items) != 2 {
		t.Fatalf("%d items", len(f.Items))
	}
	x := f.Items[0]
	if x.Title != pages[0].Title || x.Description != pages[0].Summary || x.Content != pages[0].HTML || x.GUID == nil || x.GUID.Value != pages[0].Address || x.PubDateParsed == nil || !x.PubDateParsed.Equal(at) {
		t.Errorf("an item is read as %+v", x)
	}
	if e := x.Enclosure; e == nil || e.URL != "http://x.example/1.mp3" || e.Length != "1234" || e.Type != "audio/mpeg" {
		t.Errorf("the enclosure is read as %+v", e)
	}
	if x.ITunesExt == nil || x.ITunesExt.Duration != "01:02:05" {
		t.Errorf("the duration is read as %+v", x.ITunesExt)
	}
	chapters := x.Extensions["psc"]["chapters"]
	if len(chapters) != 1 || len(chapters[0].Children["chapter"]) != 2 || chapters[0].Children["chapter"][1].Attrs["start"] != "01:01:01" || chapters[0].Children["chapter"][1].Attrs["title"] != "“End” & <after>" {
		t.Errorf("the chapters are read as %+v", chapters)
	}
	if f.Items[1].Enclosure != nil || f.Items[1].ITunesExt != nil {
		t.Error("a page without a recording has one")
	}
	if strings.Count(s, "<guid ") != 2 || !strings.Contains(s, `<pubDate>Tue, 24 Nov 2026 08:00:00 +0100</pubDate>`) {
		t.Errorf("the feed is\n%s", s)
	}
	if _, err := gofeed.NewParser().ParseString(s); err != nil {
		t.Error(err)
	}
	var any struct{}
	if err := xml.Unmarshal([]byte(s), &any); err != nil {
		t.Errorf("it is no XML: %v", err)
	}
}
