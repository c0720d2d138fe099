package desk

import (
	"bytes"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"testing"
)

func TestPicturesAreMadeSmaller(t *testing.T) {
	encode := func(w, h int, c color.Color, as string) []byte {
		m := image.NewRGBA(image.Rect(0, 0, w, h))
		for x := range w {
			for y := range h {
				m.Set(x, y, c)
			}
		}
		var b bytes.Buffer
		var err error
		if as == "png" {
			err = png.Encode(&b, m)
		} else {
			err = jpeg.Encode(&b, m, nil)
		}
		if err != nil {
			t.Fatal(err)
		}
		return b.Bytes()
	}
	for name, x := range map[string]struct {
		data []byte
		kind string
	}{
		"wide":         {encode(2400, 1000, color.RGBA{27, 98, 64, 255}, "jpeg"), "image/jpeg"},
		"see-through":  {encode(2400, 1000, color.RGBA{20, 20, 20, 90}, "png"), "image/png"},
		"opaque PNG":   {encode(1600, 800, color.RGBA{27, 98, 64, 255}, "png"), "image/jpeg"},
		"small enough": {encode(1300, 10, color.RGBA{27, 98, 64, 255}, "png"), ""},
		"very flat":    {encode(4000, 1, color.RGBA{27, 98, 64, 255}, "png"), "image/jpeg"},
	} {
		small, kind, err := smaller(x.data)
		if err != nil || kind != x.kind {
			t.Errorf("%s: %q, %v", name, kind, err)
			continue
		}
		if kind == "" {
			continue
		}
		c, _, err := image.DecodeConfig(bytes.NewReader(small))
		if err != nil || c.Width != smallWidth || c.Height < 1 {
			t.Errorf("%s: %d × %d, %v", name, c.Width, c.Height, err)
		}
	}
	if _, _, err := smaller([]byte("no picture")); err == nil {
		t.Error("no picture is made smaller")
	}
}
