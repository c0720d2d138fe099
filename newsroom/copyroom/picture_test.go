package copyroom

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"os"
	"runtime"
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
		small, kind, err := Smaller(x.data)
		if err != nil || kind != x.kind {
			t.Errorf("%s: %q, %v", name, kind, err)
			continue
		}
		if kind == "" {
			continue
		}
		c, _, err := image.DecodeConfig(bytes.NewReader(small))
		if err != nil || c.Width != SmallWidth || c.Height < 1 {
			t.Errorf("%s: %d × %d, %v", name, c.Width, c.Height, err)
		}
	}
	if _, _, err := Smaller([]byte("no picture")); err == nil {
		t.Error("no picture is made smaller")
	}
}

// A photograph of 24 million points is made smaller, and what would take more memory than
// all decoding together may is kept as it is.
func TestLargePicturesAreTakenWithinBounds(t *testing.T) {
	var photo bytes.Buffer
	if err := jpeg.Encode(&photo, image.NewYCbCr(image.Rect(0, 0, 6000, 4000), image.YCbCrSubsampleRatio420), nil); err != nil {
		t.Fatal(err)
	}
	u, err := ReadUpload("f", "photo.jpg", photo.Bytes())
	if err != nil || u.Small == nil {
		t.Fatalf("a photograph: %v", err)
	}
	var deep bytes.Buffer // 16 bits a colour
	if err := png.Encode(&deep, image.NewNRGBA64(image.Rect(0, 0, 8000, 7000))); err != nil {
		t.Fatal(err)
	}
	if u, err := ReadUpload("f", "deep.png", deep.Bytes()); err != nil || u.Small != nil {
		t.Errorf("a picture of 448 MB is decoded, or refused: %v", err)
	}
	if _, err := ReadUpload("f", "huge.png", claims(t, 100_000, 100_000)); err == nil {
		t.Error("a picture that says it has ten thousand million points is taken")
	}
}

// claims is a picture of which the head says another size.
func claims(t *testing.T, w, h uint32) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := png.Encode(&b, image.NewGray(image.Rect(0, 0, 2, 2))); err != nil {
		t.Fatal(err)
	}
	data := b.Bytes()
	binary.BigEndian.PutUint32(data[16:], w)
	binary.BigEndian.PutUint32(data[20:], h)
	binary.BigEndian.PutUint32(data[29:], crc32.ChecksumIEEE(data[12:29]))
	return data
}

// Pictures wait for each other where they would not fit into memory together.
func TestPicturesWaitForMemory(t *testing.T) {
	var photo bytes.Buffer
	if err := jpeg.Encode(&photo, image.NewYCbCr(image.Rect(0, 0, 2000, 1000), image.YCbCrSubsampleRatio444), nil); err != nil {
		t.Fatal(err)
	}
	if err := Decoder.Acquire(t.Context(), Decoding-1); err != nil {
		t.Fatal(err)
	}
	done := make(chan error)
	go func() {
		_, _, err := Smaller(photo.Bytes())
		done <- err
	}()
	for Decoder.TryAcquire(1) { // until somebody waits in front
		Decoder.Release(1)
		runtime.Gosched()
		select {
		case err := <-done:
			t.Fatalf("it was decoded without waiting: %v", err)
		default:
		}
	}
	Decoder.Release(Decoding - 1)
	if err := <-done; err != nil {
		t.Error(err)
	}
	if !Decoder.TryAcquire(Decoding) {
		t.Fatal("memory is not given back")
	}
	Decoder.Release(Decoding)
}

// What a picture is said to take is not less than what decoding it allocates.
func TestTheWeightOfAPictureIsNoLessThanItTakes(t *testing.T) {
	rect := image.Rect(0, 0, 1600, 1200)
	encoded := map[string]func(b *bytes.Buffer) error{
		"JPEG 4:4:4": func(b *bytes.Buffer) error {
			return jpeg.Encode(b, image.NewYCbCr(rect, image.YCbCrSubsampleRatio444), nil)
		},
		"grey JPEG":   func(b *bytes.Buffer) error { return jpeg.Encode(b, image.NewGray(rect), nil) },
		"PNG":         func(b *bytes.Buffer) error { return png.Encode(b, image.NewNRGBA(rect)) },
		"deep PNG":    func(b *bytes.Buffer) error { return png.Encode(b, image.NewNRGBA64(rect)) },
		"grey PNG":    func(b *bytes.Buffer) error { return png.Encode(b, image.NewGray(rect)) },
		"progressive": func(b *bytes.Buffer) error { _, err := b.Write(read(t, "testdata/progressive.jpg")); return err },
	}
	for name, encode := range encoded {
		var b bytes.Buffer
		if err := encode(&b); err != nil {
			t.Fatal(err)
		}
		c, kind, err := image.DecodeConfig(bytes.NewReader(b.Bytes()))
		if err != nil {
			t.Fatal(err)
		}
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		if _, _, err := image.Decode(bytes.NewReader(b.Bytes())); err != nil {
			t.Fatal(err)
		}
		runtime.ReadMemStats(&after)
		if took, says := int64(after.TotalAlloc-before.TotalAlloc), Weight(b.Bytes(), c, kind); took > says+1<<20 {
			t.Errorf("%s takes %d bytes, and is said to take %d", name, took, says)
		}
	}
}

func read(t *testing.T, file string) []byte {
	t.Helper()
	b, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

// Whatever is sent as a picture, it is taken or refused, and nothing breaks.
func FuzzReadUpload(f *testing.F) {
	for _, encode := range []func(*bytes.Buffer) error{
		func(b *bytes.Buffer) error { return png.Encode(b, image.NewNRGBA(image.Rect(0, 0, 1600, 3))) },
		func(b *bytes.Buffer) error { return jpeg.Encode(b, image.NewGray(image.Rect(0, 0, 1600, 3)), nil) },
	} {
		var b bytes.Buffer
		if err := encode(&b); err != nil {
			f.Fatal(err)
		}
		f.Add(b.Bytes(), uint8(0))
		f.Add(b.Bytes(), uint8(1))
	}
	names := []string{"a.png", "a.jpg", "a.gif", "a.webp", "a.pdf", "a.txt", "a.docx"}
	f.Fuzz(func(t *testing.T, b []byte, n uint8) {
		u, err := ReadUpload("f", names[int(n)%len(names)], b)
		if err == nil && u.Small != nil {
			if c, _, err := image.DecodeConfig(bytes.NewReader(u.Small)); err != nil || c.Width != SmallWidth {
				t.Fatalf("made smaller it is %d wide, %v", c.Width, err)
			}
		}
	})
}

// Pictures whose number of points doubles: the time should not grow faster.
func BenchmarkReadUpload(b *testing.B) {
	for _, w := range []int{2000, 4000, 8000} {
		var photo bytes.Buffer
		if err := jpeg.Encode(&photo, image.NewYCbCr(image.Rect(0, 0, w, 1500), image.YCbCrSubsampleRatio420), nil); err != nil {
			b.Fatal(err)
		}
		b.Run(fmt.Sprint(w), func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				if _, err := ReadUpload("f", "a.jpg", photo.Bytes()); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
