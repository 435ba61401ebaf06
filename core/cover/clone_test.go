package cover

import (
	"bytes"
	"math/rand"
	"reflect"
	"testing"

	"celator/core/geom"
)

// shares returns the path to the first slice or map element that two values share, where
// pointers and slices lead; what may be shared is not followed.
func shares(path string, a, b reflect.Value, mayShare map[reflect.Type]bool) string {
	if mayShare[a.Type()] {
		return ""
	}
	switch a.Kind() {
	case reflect.Pointer:
		if a.IsNil() || b.IsNil() {
			return ""
		}
		if a.Pointer() == b.Pointer() {
			return path
		}
		return shares(path, a.Elem(), b.Elem(), mayShare)
	case reflect.Slice:
		if a.Len() == 0 || b.Len() == 0 {
			return ""
		}
		if a.Pointer() == b.Pointer() {
			return path
		}
		for i := range min(a.Len(), b.Len()) {
			if p := shares(path+"[]", a.Index(i), b.Index(i), mayShare); p != "" {
				return p
			}
		}
	case reflect.Struct:
		for i := range a.NumField() {
			if p := shares(path+"."+a.Type().Field(i).Name, a.Field(i), b.Field(i), mayShare); p != "" {
				return p
			}
		}
	}
	return ""
}

// A clone shares nothing that an edit changes in place, whatever fields are added to the
// document later; and it is the same document.
func TestCloneIsDeep(t *testing.T) {
	mayShare := map[reflect.Type]bool{
		reflect.TypeFor[*Mattes](): true, reflect.TypeFor[*Poses](): true,
		reflect.TypeFor[[]byte](): true, // the picture of a graphic
	}
	rng := rand.New(rand.NewSource(21))
	seen := map[string]bool{}
	for range 200 {
		d := random(rng)
		n := d.Clone()
		if p := shares("", reflect.ValueOf(*d), reflect.ValueOf(*n), mayShare); p != "" {
			t.Fatalf("a clone shares %s", p)
		}
		x, _ := d.Marshal()
		y, _ := n.Marshal()
		if !bytes.Equal(x, y) {
			t.Fatal("a clone is another document")
		}
		for i := range d.Covers {
			c := &n.Covers[i]
			if c.on != n.Track(c.Track) {
				t.Fatal("a cloned cover rides on the track of the document it came from")
			}
			seen["crossing"] = seen["crossing"] || c.Crossing != nil
			seen["strokes"] = seen["strokes"] || c.Proposed != nil && len(c.Proposed.Strokes) > 0
		}
		seen["labels"] = seen["labels"] || len(n.Labels) > 0
		seen["graphics"] = seen["graphics"] || len(n.Graphics) > 0
	}
	if len(seen) != 4 {
		t.Errorf("only %v were met", seen)
	}
}

// Whatever is changed of a live cover that decides its pixels, its digest changes: each
// number, word and switch of it is changed in turn, so that a field that is added later
// and forgotten in the digest fails here.
func TestDigestForgetsNothing(t *testing.T) {
	form := Form{
		Paths: []geom.Path{{{P: geom.Pt(1, 2)}, {P: geom.Pt(3, 4)}, {P: geom.Pt(5, 9)}}},
		Found: &Found{Run: "run", Frame: 3, Strokes: []PlacedBrush{{Radius: 2, Points: []geom.Point{{X: 1}}}}},
	}
	l := Live{
		Cover: "c", Form: form, Holdouts: []Form{form},
		Treatments: []LiveTreatment{{Kind: Patch, Rides: true}},
	}
	// Of a live cover the name and the frame decide no pixel.
	decidesNone := map[string]bool{".Cover": true, ".Frame": true}
	n := 0
	var walk func(path string, v reflect.Value)
	change := func(path string, v reflect.Value, to any) {
		if decidesNone[path] || !v.CanSet() {
			return
		}
		n++
		was, old := l.Digest(), reflect.New(v.Type()).Elem()
		old.Set(v)
		v.Set(reflect.ValueOf(to).Convert(v.Type()))
		if l.Digest() == was {
			t.Errorf("%s is not in the digest", path)
		}
		v.Set(old)
	}
	walk = func(path string, v reflect.Value) {
		switch v.Kind() {
		case reflect.Float64:
			change(path, v, v.Float()+1)
		case reflect.Int:
			change(path, v, v.Int()+1)
		case reflect.String:
			change(path, v, v.String()+"x")
		case reflect.Bool:
			change(path, v, !v.Bool())
		case reflect.Pointer:
			walk(path, v.Elem())
		case reflect.Slice, reflect.Array:
			for i := range v.Len() {
				walk(path, v.Index(i))
			}
		case reflect.Struct:
			for i := range v.NumField() {
				if f := v.Type().Field(i); f.IsExported() {
					walk(path+"."+f.Name, v.Field(i))
				}
			}
		}
	}
	walk("", reflect.ValueOf(&l).Elem())
	if n < 60 {
		t.Errorf("only %d things were changed", n)
	}
}

// What was looked at is no more when what passes in front has changed, or the surface
// that a graphic lies on.
func TestLookedAtLapses(t *testing.T) {
	rng := rand.New(rand.NewSource(22))
	d := held(t)
	d, _, err := d.Apply(SetTreatments{Cover: "c", Treatments: []Treatment{NewTreatment("t", Mosaic)}})
	if err != nil {
		t.Fatal(err)
	}
	h := d.Find("c").clone()
	h.ID, h.Name, h.HoldsOut, h.Treatments, h.Soften = "x", "hand", []string{"c"}, nil, ConstPair(4, 4)
	if d, _, err = d.Apply(AddCover{New: h}); err != nil {
		t.Fatal(err)
	}
	f := d.Find("c").Span.First + 1
	digest := func(d *Document) string { l, _ := d.Live(d.Find("c"), Time(f)); return l.Digest() }
	for name, cmd := range map[string]Command{
		"its side":    SoftenOn{Cover: "x", Side: "inside"},
		"its softest": SetNumber{Cover: "x", Lane: "soften/down", Number: 1 + rng.Float64(), Frame: Time(f)},
		"its switch":  SwitchCover{Cover: "x"},
		"its span":    SetSpan{Cover: "x", Span: Span{f + 1, d.Frames - 1}},
	} {
		n, _, err := d.Apply(cmd)
		if err != nil {
			t.Fatal(err)
		}
		if digest(n) == digest(d) {
			t.Errorf("a holdout changed (%s), and what was looked at still counts", name)
		}
	}
	if n, _, _ := d.Apply(RenameCover{Cover: "x", Name: "mitten"}); digest(n) != digest(d) {
		t.Error("a name changed what was looked at")
	}
}
