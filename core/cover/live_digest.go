package cover

import (
	"encoding/binary"
	"encoding/json"
	"hash"
	"hash/fnv"
	"math"
	"strconv"
)

// Digest names everything that decides a live cover's pixels at a frame, holdouts
// included. It is compared only with digests made by the same program on the same
// platform.
//
// How the surface lies, and how fast it moves, count where a treatment lies on it: else
// a key elsewhere would make a frame unseen whose pixels have not changed.
func (l Live) Digest() string {
	d := digester{fnv.New64a()}
	for _, form := range append([]Form{l.Form}, l.Holdouts...) {
		d.form(form)
	}
	d.numbers(l.Transparency)
	for _, t := range l.Treatments {
		if t.Rides || t.Kind == Patch {
			d.numbers(l.Map[:]...)
			for _, c := range l.Corners {
				d.numbers(c.X, c.Y)
			}
			if l.Bend != nil {
				for _, q := range l.Bend.Net {
					d.numbers(q.X, q.Y)
				}
			}
		}
		if t.Kind == Patch {
			d.numbers(l.Speed.X, l.Speed.Y)
		}
	}
	b, _ := json.Marshal(l.Treatments)
	d.Write(b)
	return strconv.FormatUint(d.Sum64(), 36)
}

type digester struct{ hash.Hash64 }

func (d digester) numbers(vs ...float64) {
	var b [8]byte
	for _, v := range vs {
		binary.LittleEndian.PutUint64(b[:], math.Float64bits(v))
		d.Write(b[:])
	}
}

func (d digester) text(s string) {
	d.numbers(float64(len(s)))
	d.Write([]byte(s))
}

func (d digester) form(f Form) {
	d.numbers(float64(len(f.Paths)), f.Grow, f.Soften.X, f.Soften.Y)
	d.text(string(f.Side))
	for _, p := range f.Paths {
		d.numbers(float64(len(p)))
		for _, k := range p {
			d.numbers(k.P.X, k.P.Y, k.In.X, k.In.Y, k.Out.X, k.Out.Y)
		}
	}
	if f.Inverted {
		d.text("inverted")
	}
	if f.Found == nil {
		return
	}
	d.text(f.Found.Run)
	d.numbers(float64(f.Found.Frame))
	for _, s := range f.Found.Strokes {
		d.numbers(s.Radius, float64(len(s.Points)), map[bool]float64{true: 1}[s.Add])
		for _, q := range s.Points {
			d.numbers(q.X, q.Y)
		}
	}
}
