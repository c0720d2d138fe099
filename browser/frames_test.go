package browser

import (
	"encoding/json"
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/proto"

	"greenbaton/demo"
	"greenbaton/store"
)

// BenchmarkAGesture takes a card over a lineup with 400 pieces on it for two seconds and
// counts the frames that the browser draws, by its own tracing.
func BenchmarkAGesture(b *testing.B) {
	s := newSite(b)
	lot := demo.Lot{Stage: "running", Pieces: 400}
	must(b, s.Newsroom.DB.Write(ctx, func(tx *store.Tx) error { return lot.Add(ctx, tx) }))
	s.Newsroom.Forget()
	u := s.as(maren, 1920)
	if err := u.page.SetViewport(&proto.EmulationSetDeviceMetricsOverride{Width: 1920, Height: 1080, DeviceScaleFactor: 1}); err != nil {
		b.Fatal(err)
	}
	u.open("/lineup?weeks=5")
	u.eval(`() => { for (const d of document.querySelectorAll("details.fold")) d.open = true }`)
	n := u.eval(`() => document.querySelectorAll("[data-view] [data-piece]").length`)
	from := u.middle(`[data-part=tray] [data-piece]`)
	for b.Loop() {
		frames := trace(b, u.page, func() {
			m := u.page.Mouse
			must(b, m.MoveTo(from))
			must(b, m.Down(proto.InputMouseButtonLeft, 1))
			end := time.Now().Add(2 * time.Second)
			for k := 0; time.Now().Before(end); k++ {
				time.Sleep(8 * time.Millisecond) // as often as a common mouse
				must(b, m.MoveTo(proto.Point{X: 400 + float64(k*7%900), Y: 300 + float64(k*5%600)}))
			}
			must(b, m.MoveTo(from))
			must(b, m.Up(proto.InputMouseButtonLeft, 1))
		})
		gaps := make([]float64, 0, len(frames))
		for i := 1; i < len(frames); i++ {
			gaps = append(gaps, (frames[i]-frames[i-1])/1000)
		}
		slices.Sort(gaps)
		span := (frames[len(frames)-1] - frames[0]) / 1e6
		b.ReportMetric(float64(len(frames)-1)/span, "frames/s")
		b.ReportMetric(gaps[len(gaps)*95/100], "ms-95%")
	}
	b.Logf("%s pieces on the page", n)
}

func must(b *testing.B, err error) {
	if err != nil {
		b.Fatal(err)
	}
}

// trace gives when frames were drawn while something is done, in microseconds.
func trace(b *testing.B, page *rod.Page, do func()) []float64 {
	b.Helper()
	var at []float64
	done := make(chan struct{})
	go page.EachEvent(func(e *proto.TracingDataCollected) {
		for _, v := range e.Value {
			var x struct {
				Name string
				Ts   float64
			}
			raw, err := json.Marshal(v)
			if err == nil && json.Unmarshal(raw, &x) == nil && x.Name == "DrawFrame" {
				at = append(at, x.Ts)
			}
		}
	}, func(e *proto.TracingTracingComplete) bool {
		close(done)
		return true
	})()
	must(b, proto.TracingStart{TraceConfig: &proto.TracingTraceConfig{IncludedCategories: []string{"disabled-by-default-devtools.timeline.frame", "devtools.timeline.frame", "devtools.timeline"}}}.Call(page))
	do()
	must(b, proto.TracingEnd{}.Call(page))
	<-done
	slices.Sort(at)
	if len(at) < 3 {
		b.Fatal(fmt.Sprint(len(at), " frames were drawn"))
	}
	return at
}
