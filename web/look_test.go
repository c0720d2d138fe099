package web

import (
	"bytes"
	"compress/gzip"
	"fmt"
	"io/fs"
	"math"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"unicode/utf8"

	"greenbaton/web/assets"
	"greenbaton/web/views"
)

// luminance and contrast are as WCAG 2.2 defines them.
func luminance(hex string) float64 {
	part := func(s string) float64 {
		n, err := strconv.ParseInt(s, 16, 32)
		if err != nil {
			panic(err)
		}
		c := float64(n) / 255
		if c <= 0.04045 {
			return c / 12.92
		}
		return math.Pow((c+0.055)/1.055, 2.4)
	}
	return 0.2126*part(hex[1:3]) + 0.7152*part(hex[3:5]) + 0.0722*part(hex[5:7])
}

func contrast(a, b string) float64 {
	x, y := luminance(a), luminance(b)
	return (max(x, y) + 0.05) / (min(x, y) + 0.05)
}

// The figures of the recommendation itself, and those of well-known pairs.
func TestTheFormulaOfContrast(t *testing.T) {
	for _, x := range []struct {
		a, b string
		want float64
	}{{"#000000", "#FFFFFF", 21}, {"#FFFFFF", "#FFFFFF", 1}, {"#777777", "#FFFFFF", 4.48}, {"#FF0000", "#FFFFFF", 4.0}} {
		if got := contrast(x.a, x.b); math.Abs(got-x.want) > 0.005 {
			t.Errorf("%s on %s: %.3f, want %.2f", x.a, x.b, got, x.want)
		}
	}
}

// Every pair of colours in which something is written has a contrast of 4.5 at least, and
// every mark by which something is told apart one of 3 (WCAG 2.2, 1.4.3 and 1.4.11). The
// colours are read from the style sheet.
func TestEveryPairOfColoursCanBeRead(t *testing.T) {
	css, err := fs.ReadFile(assets.Files(), "app.css")
	if err != nil {
		t.Fatal(err)
	}
	color := map[string]string{"white": "#FFFFFF", "tip": "#F2F1EA", "out": "#F0EFE2", "held": "#ECEBDF", "done": "#8FBBA0"}
	for _, m := range regexp.MustCompile(`--color-([a-z-]+): ?(#[0-9A-Fa-f]{3,6})`).FindAllStringSubmatch(string(css), -1) {
		if len(m[2]) == 4 {
			m[2] = fmt.Sprintf("#%[1]c%[1]c%[2]c%[2]c%[3]c%[3]c", m[2][1], m[2][2], m[2][3])
		}
		color[m[1]] = strings.ToUpper(m[2])
	}
	pairs := map[string][]string{
		"ink":        {"paper", "sheet", "out", "pencil-wash", "baton-wash", "ochre-wash", "brick-wash", "held"},
		"muted":      {"paper", "sheet", "out", "held"},
		"baton":      {"paper", "sheet", "out", "baton-wash", "held"},
		"baton-dark": {"sheet"},
		"brick":      {"paper", "sheet", "out", "brick-wash"},
		"ochre":      {"paper", "sheet", "out", "ochre-wash"},
		"plum":       {"paper", "sheet", "out", "plum-wash"},
		"pencil":     {"paper", "sheet", "pencil-wash"},
		"white":      {"baton", "ink", "plum", "baton-dark"},
		"tip":        {"ink"},
	}
	for text, grounds := range pairs {
		for _, ground := range grounds {
			if color[text] == "" || color[ground] == "" {
				t.Fatalf("no colour %s or %s", text, ground)
			}
			if got := contrast(color[text], color[ground]); got < 4.5 {
				t.Errorf("%s on %s: %.2f", text, ground, got)
			}
		}
	}
	hues := regexp.MustCompile(`\.hue-(\d)\{border-left-color:(#[0-9a-fA-F]{6})\}`).FindAllStringSubmatch(string(css), -1)
	if len(hues) != views.MostHues {
		t.Fatalf("%d colours of cards, want %d", len(hues), views.MostHues)
	}
	for _, h := range hues {
		for _, ground := range []string{"sheet", "paper", "out"} {
			if got := contrast(strings.ToUpper(h[2]), color[ground]); got < 3 {
				t.Errorf("the colour %s of cards on %s: %.2f", h[1], ground, got)
			}
		}
	}
}

// Templates, styles and scripts can be reviewed: no line of them is longer than 160 characters.
func TestPagesCanBeReviewed(t *testing.T) {
	looked := 0
	for _, pattern := range []string{"*/*.html", "assets/src/*.css", "assets/src/*.js", "assets/src/*/*.js"} {
		names, err := filepath.Glob(pattern)
		if err != nil {
			t.Fatal(err)
		}
		for _, name := range names {
			b, err := os.ReadFile(name)
			if err != nil {
				t.Fatal(err)
			}
			looked++
			n := 0
			for line := range strings.Lines(string(b)) {
				if n++; utf8.RuneCountInString(line) > 161 { // the end of the line is counted
					t.Errorf("%s, line %d is too long to be reviewed", name, n)
				}
			}
		}
	}
	if looked < 100 {
		t.Errorf("only %d files were looked at", looked)
	}
}

// The first load of any page: scripts and styles up to 150 KB packed, fonts up to 250 KB.
func TestWhatAPageLoadsIsSmall(t *testing.T) {
	size := func(names ...string) int {
		sum := 0
		for _, n := range names {
			b, err := fs.ReadFile(assets.Files(), n)
			if err != nil {
				t.Fatal(err)
			}
			if strings.HasSuffix(n, ".woff2") {
				sum += len(b)
				continue
			}
			var w bytes.Buffer
			z := gzip.NewWriter(&w)
			if _, err := z.Write(b); err != nil {
				t.Fatal(err)
			}
			if err := z.Close(); err != nil {
				t.Fatal(err)
			}
			sum += w.Len()
		}
		return sum
	}
	if n := size("app.css", "app.js", "editor.js", "mark.svg"); n > 150<<10 {
		t.Errorf("scripts and styles are %d KB", n>>10)
	} else {
		t.Logf("scripts and styles: %d KB, without the editor %d KB", n>>10, size("app.css", "app.js", "mark.svg")>>10)
	}
	// Latin letters, the italic among them; those of other alphabets come only where they are used.
	if n := size("newsreader-latin-opsz-normal.woff2", "newsreader-latin-wght-italic.woff2", "hanken-grotesk-latin-wght-normal.woff2"); n > 250<<10 {
		t.Errorf("fonts are %d KB", n>>10)
	} else {
		t.Logf("fonts: %d KB", n>>10)
	}
}
