package demo

import (
	"math"
	"runtime"
	"sync"

	"celator/core/geom"
	"celator/core/track"
)

// optics is what a camera makes of a scene, which is then drawn in linear light: exposure, the sensor's rows read
// one after the other, noise that grows with the light, one colour a pixel of which three are made.
type optics struct {
	gain  float64 // of the light
	veil  float64 // light that lies over all, of 1
	read  float64 // standard deviation of the noise of reading, of 1
	shot  float64 // variance of the noise of light, for each light of 1
	rolls float64 // share of a frame's time from the first row to the last
	gamma float64 // of the recording's curve, which is 1/2.2 to the power of this
}

// band is how many rows are taken to be read at one time.
const band = 8

// expose draws a frame as draw does, by the shot's optics.
func (s Shot) expose(at func(float64) moment, f int, d *picture) {
	d.surface = s.seen(at, f)
	light, raw := make([]float32, 4*s.Width*s.Height), make([]float32, s.Width*s.Height)
	s.rows((s.Height+band-1)/band, func(b int) {
		behind, front := s.moments(at, s.late(f, float64(b)*band+band/2), f)
		acc, cur := make([]float32, 4*s.Width), make([]float32, 4*s.Width)
		for y := b * band; y < min((b+1)*band, s.Height); y++ {
			s.compose(behind, front, y, light[4*s.Width*y:][:4*s.Width], acc, cur, d.front[y*s.Width:][:s.Width])
		}
	})
	s.rows(s.Height, func(y int) { s.sense(f, y, light[4*s.Width*y:][:4*s.Width], raw[y*s.Width:][:s.Width]) })
	s.rows(s.Height/2, func(pair int) {
		rows := [2][]float32{make([]float32, 4*s.Width), make([]float32, 4*s.Width)}
		for k, row := range rows {
			s.develop(raw, 2*pair+k, row)
		}
		s.encode(d.pic, pair, rows)
	})
	d.visible = s.visible(d)
}

// seen returns where the plane lies that follows the surface best from how the reference frame shows it to how this one
// does: the corners, by the homography with the least squared distances over the surface. While it turns, a surface
// whose rows are read one after the other is bent, and no plane has all of its places.
func (s Shot) seen(at func(float64) moment, f int) [4]geom.Point {
	then := s.readAt(at, s.Reference)
	m := track.Fit(then, s.readAt(at, f), track.Perspective)
	return [4]geom.Point{m.Apply(then[0]), m.Apply(then[1]), m.Apply(then[2]), m.Apply(then[3])}
}

// readAt returns where places all over a flat surface lie on a frame, each when its row is read: its corners first.
func (s Shot) readAt(at func(float64) moment, f int) (all []geom.Point) {
	unit := geom.Quad{{}, {X: 1}, {X: 1, Y: 1}, {Y: 1}}
	places := unit[:]
	for i := range 9 * 9 {
		places = append(places, geom.Pt(float64(i%9)/8, float64(i/9)/8))
	}
	read := s.reader(at, f)
	for _, p := range places {
		q := geom.Pt(0, float64(s.Height)/2)
		for range 5 {
			m, err := geom.QuadToQuad(unit, read(q.Y).surface)
			if err != nil {
				panic("demo: a surface without area: " + s.Name)
			}
			q = m.Apply(p)
		}
		all = append(all, q)
	}
	return all
}

// reader returns what is there when a row of a frame is read; all rows of a band are read at one time.
func (s Shot) reader(at func(float64) moment, f int) func(y float64) moment {
	read := map[int]moment{}
	return func(y float64) moment {
		b := int(min(max(y, 0), float64(s.Height-1))) / band
		m, known := read[b]
		if !known {
			m = at(s.late(f, float64(b)*band+band/2))
			read[b] = m
		}
		return m
	}
}

// late is when a row of a frame is read, in frames.
func (s Shot) late(f int, y float64) float64 {
	if s.optics == nil {
		return float64(f)
	}
	return float64(f) + s.optics.rolls*(y/float64(s.Height)-.5)
}

// rows does something for each of n rows, on all cores.
func (s Shot) rows(n int, do func(y int)) {
	var wg sync.WaitGroup
	cores := runtime.GOMAXPROCS(0)
	for c := range cores {
		wg.Go(func() {
			for y := c; y < n; y += cores {
				do(y)
			}
		})
	}
	wg.Wait()
}

// colour is the one that a pixel of the sensor sees: red, green, green, blue (B. Bayer, US patent 3971065).
func colour(x, y int) int { return y&1 + x&1 }

// sense makes of a row of light what the sensor gives.
func (s Shot) sense(f, y int, light, raw []float32) {
	o := s.optics
	state := uint32(f+1)*2654435761 ^ uint32(y+7)*2246822519 | 1
	next := func() float64 {
		state ^= state << 13
		state ^= state >> 17
		state ^= state << 5
		return float64(state>>8)/(1<<24) - .5
	}
	for x := range raw {
		v := o.gain*float64(light[4*x+colour(x, y)]) + o.veil
		sd := math.Sqrt(o.read*o.read + o.shot*max(v, 0))
		raw[x] = float32(v + 2*sd*(next()+next()+next())) // three uniform numbers: of variance 1/4
	}
}

// develop makes three colours of each pixel of a row, by the mean of its neighbours of that colour, and records them.
func (s Shot) develop(raw []float32, y int, row []float32) {
	curve := 1 / 2.2 * s.optics.gamma
	for x := range s.Width {
		var sum, n [3]float32
		own := colour(x, y)
		for dy := -1; dy <= 1; dy++ {
			for dx := -1; dx <= 1; dx++ {
				u, v := x+dx, y+dy
				if u < 0 || v < 0 || u >= s.Width || v >= s.Height {
					continue
				}
				if c := colour(u, v); c != own || dx == 0 && dy == 0 {
					sum[c] += raw[v*s.Width+u]
					n[c]++
				}
			}
		}
		for c := range 3 {
			row[4*x+c] = float32(math.Pow(float64(min(max(sum[c]/max(n[c], 1), 0), 1)), curve))
		}
	}
}

// moments are what is behind and what passes in front over the shutter around a time of frame f, as many as its
// motion needs.
func (s Shot) moments(at func(float64) moment, middle float64, f int) (behind, front [][]layer) {
	of := func(front bool) [][]layer {
		n := s.samples(at, f, front)
		ms := make([][]layer, n)
		for i := range ms {
			for _, l := range at(middle + s.Shutter*((float64(i)+.5)/float64(n)-.5)).layers {
				if l.front == front {
					ms[i] = append(ms[i], l)
				}
			}
		}
		return ms
	}
	return of(false), of(true)
}

// compose lays what is in front over what is behind in a row, and notes how much of it that covers.
func (s Shot) compose(behind, front [][]layer, y int, row, acc, cur []float32, cover []byte) {
	s.mean(behind, y, row, cur)
	s.mean(front, y, acc, cur)
	for x := range s.Width {
		p, q := row[4*x:][:4], acc[4*x:][:4]
		if a := q[3]; a > 0 {
			for c := range 3 {
				p[c] = p[c]*(1-a) + q[c]
			}
		}
		cover[x] = byte(min(q[3], 1)*255 + .5)
	}
}

// linear makes the light of a texture's R'G'B', as photographs have it.
func (t *texture) linear() {
	for i := 0; i+3 < len(t.pix); i += 4 {
		for c := range 3 {
			t.pix[i+c] = float32(math.Pow(float64(t.pix[i+c]), 2.2))
		}
	}
}

// centred is a map that turns and moves a texture about its own middle, which comes to c.
func centred(t *texture, c geom.Point, size, turn float64) geom.Map {
	return pose(t, c, size*float64(t.h), 0, 0, turn, 50)
}
