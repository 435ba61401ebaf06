package cover

import (
	"math"

	"celator/core/geom"
)

// At returns the placement at frame f: exact on keys, between them as the earlier key's
// ease says; the first key holds before it and the last after. A part that a key leaves
// free goes from the key before that fixes it to the next one that does.
func (m Motion) At(f Time) Placement {
	if len(m.Keys) == 0 {
		return Rest
	}
	if m.parted() {
		return Placement{
			Move: m.part(f, func(p Parts) bool { return p.Place }).Move,
			Turn: m.part(f, func(p Parts) bool { return p.Turn }).Turn,
			Size: m.part(f, func(p Parts) bool { return p.Size }).Size,
		}
	}
	a, b, t := bracket(len(m.Keys), f, func(i int) Time { return m.Keys[i].Frame })
	return between(m.Keys[a], m.Keys[b], t)
}

func between(p, q PlacementKey, t float64) Placement {
	if t == 0 {
		return p.Placement
	}
	t = p.Ease.blend(t)
	return Placement{
		Move: p.Move.Lerp(q.Move, t),
		Turn: p.Turn + t*(q.Turn-p.Turn),
		Size: p.Size.Lerp(q.Size, t),
	}
}

func (m Motion) parted() bool {
	for _, k := range m.Keys {
		if k.Free != (Parts{}) {
			return true
		}
	}
	return false
}

// part evaluates a motion as if it had only the keys that fix a part; where none does,
// the first key's holds.
func (m Motion) part(f Time, free func(Parts) bool) Placement {
	a, b := -1, -1
	for i, k := range m.Keys {
		switch {
		case free(k.Free):
		case k.Frame <= f:
			a = i
		case b < 0:
			b = i
		}
	}
	switch {
	case a < 0 && b < 0:
		return m.Keys[0].Placement
	case a < 0:
		return m.Keys[b].Placement
	case b < 0:
		return m.Keys[a].Placement
	}
	p, q := m.Keys[a], m.Keys[b]
	return between(p, q, float64(f-p.Frame)/float64(q.Frame-p.Frame))
}

// settle gives the free parts of keys the values that they pass by with, so that each
// key's placement is the one at its frame.
func (m *Motion) settle() {
	if !m.parted() {
		return
	}
	at := make([]Placement, len(m.Keys))
	for i, k := range m.Keys {
		at[i] = m.At(k.Frame)
	}
	for i := range at {
		m.Keys[i].Placement = at[i]
	}
}

// sameWithin is how much of a placement's change is nobody's doing, px, degrees or ratio:
// what computing it back and forth leaves.
const sameWithin = 1e-7

// unchanged returns the parts of a placement that another has as well.
func (p Placement) unchanged(q Placement) Parts {
	return Parts{
		Place: p.Move.Sub(q.Move).Len() < sameWithin,
		Turn:  math.Abs(p.Turn-q.Turn) < sameWithin,
		Size:  p.Size.Sub(q.Size).Len() < sameWithin,
	}
}

// without returns the parts that are in p but not in q.
func (p Parts) without(q Parts) Parts {
	return Parts{p.Place && !q.Place, p.Turn && !q.Turn, p.Size && !q.Size}
}

// others returns the parts that are not in p.
func (p Parts) others() Parts { return Parts{!p.Place, !p.Turn, !p.Size} }

// change is a change of a placement at a frame.
type change struct {
	frame Time
	to    Placement
	scope Scope
	apart bool // only the parts that differ are keyed
}

// place changes the placement at a frame, or that of several keys by as much.
func (m *Motion) place(e change) {
	old := m.At(e.frame)
	if e.scope == FromHere || len(m.Keys) == 0 {
		setKey(&m.Keys, PlacementKey{Frame: e.frame, Placement: old}, func(k *PlacementKey) {
			k.Placement, k.Free = old, Parts{} // what it left free would go past it
		})
	}
	if e.scope != WholeSpan && e.scope != FromHere {
		m.set(e, old)
		return
	}
	for i := range m.Keys {
		if !e.scope.moves(e.frame, m.Keys[i].Frame) {
			continue
		}
		k := &m.Keys[i].Placement
		k.Move = k.Move.Add(e.to.Move.Sub(old.Move))
		k.Turn += e.to.Turn - old.Turn
		k.Size = geom.Pt(k.Size.X*e.to.Size.X/old.Size.X, k.Size.Y*e.to.Size.Y/old.Size.Y)
	}
}

// set keys a placement: whole, or the parts that differ from what was there, beside those
// that a key there fixes already.
func (m *Motion) set(e change, old Placement) {
	k := PlacementKey{Frame: e.frame, Placement: e.to}
	if e.apart {
		k.Free = e.to.unchanged(old)
		if k.Free == (Parts{true, true, true}) {
			k.Free = Parts{} // the placement as it is was meant to be keyed
		}
	}
	setKey(&m.Keys, k, func(was *PlacementKey) {
		was.Placement, was.Free = e.to, was.Free.without(k.Free.others())
	})
}
