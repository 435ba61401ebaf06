package cover

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"slices"
)

// Fingerprint names everything in the document that decides what a cover hides and how it
// looks: itself, the track it rides on, what is held out of it and the graphics it
// shows. Names, locks and what is drawn on the bench do not count. Poses and mattes are
// named by their runs, or by themselves where they have none.
func (d *Document) Fingerprint(id string) string {
	h := sha256.New()
	enc := json.NewEncoder(h)
	add := func(c *Cover) {
		n := c.clone()
		n.Name, n.Locked, n.Unseen, n.Draft, n.Item, n.Style = "", false, false, false, "", ""
		if p := n.Proposed; p != nil && p.Run != "" {
			q := *p
			q.Mattes = nil
			n.Proposed = &q
		}
		enc.Encode(n)
		if t := d.Track(c.Track); t != nil {
			u := *t
			u.Name = ""
			if u.Attempt != "" {
				u.Poses = nil
			}
			enc.Encode(u)
		}
	}
	c := d.Find(id)
	if c == nil {
		return ""
	}
	add(c)
	for i := range d.Covers {
		if o := &d.Covers[i]; len(o.HoldsOut) > 0 && o.holds(id) && !o.Off {
			add(o)
		}
	}
	for _, t := range c.Treatments {
		if g := d.GraphicOf(t.Graphic); g != nil {
			enc.Encode([]any{g.ID, g.Width, g.Height, sha256.Sum256(g.PNG)})
		}
	}
	return hex.EncodeToString(h.Sum(nil)[:16])
}

// Hiding returns the covers that hide an item; holdouts, covers that are switched off and
// those without a treatment do not.
func (d *Document) Hiding(item string) (out []*Cover) {
	for i := range d.Covers {
		if c := &d.Covers[i]; c.Item == item && item != "" && len(c.HoldsOut) == 0 && !c.Off && len(c.Treatments) > 0 {
			out = append(out, c)
		}
	}
	return out
}

// Drafts counts the covers that hide an item and to which nobody has said yes.
func (d *Document) Drafts(item string) (n int) {
	for _, c := range d.Hiding(item) {
		if c.Draft {
			n++
		}
	}
	return n
}

// Doubtful counts the frames of the covers that hide an item on which what they ride on is weak, was lost, or was not
// followed.
func (d *Document) Doubtful(item string) (n int) {
	for _, c := range d.Hiding(item) {
		t := d.Track(c.Track)
		if t == nil || t.Poses == nil {
			continue
		}
		for f := c.Span.First; f <= c.Span.Last; f++ {
			if s := t.Poses.State(Time(f)); s == 'w' || s == 'l' || s == '-' {
				n++
			}
		}
	}
	return n
}

// Unsaid returns the passages that keep an item from being heard.
func (d *Document) Unsaid(item string) (out []*Passage) {
	for i := range d.Passages {
		if p := &d.Passages[i]; p.Item == item && item != "" && p.Treats() {
			out = append(out, p)
		}
	}
	return out
}

// Treats reports whether something becomes of it.
func (p *Passage) Treats() bool { return !p.Off && p.How != Kept }

// PassageFingerprint names what decides what is heard while a passage lasts: it, and those after
// and before it.
func (d *Document) PassageFingerprint(id string) string {
	h := sha256.New()
	io.WriteString(h, id)
	for _, p := range d.Passages {
		if q := d.Passage(id); q != nil && !p.Off && p.From < q.To && p.To > q.From {
			io.WriteString(h, p.fingerprint())
		}
	}
	return hex.EncodeToString(h.Sum(nil)[:16])
}

// fingerprint names what decides how a passage sounds.
func (p Passage) fingerprint() string {
	p.ID, p.Name, p.Item = "", "", ""
	b, _ := json.Marshal(p)
	return string(b)
}

// HidesAs reports whether a document hides the same things in the same way as another.
func (d *Document) HidesAs(o *Document) bool {
	all := func(d *Document) map[string]string {
		out := map[string]string{}
		for i := range d.Covers {
			if c := &d.Covers[i]; len(c.HoldsOut) == 0 && !c.Off {
				out[c.ID] = d.Fingerprint(c.ID)
			}
		}
		for i, p := range d.Passages { // in their order, which decides
			if !p.Off {
				out[fmt.Sprint("passage ", i)] = p.fingerprint()
			}
		}
		return out
	}
	return maps.Equal(all(d), all(o))
}

// ItemFingerprint names what decides how an item is hidden: all of its covers, and passages of
// the sound. It is empty where it has none that hide anything.
func (d *Document) ItemFingerprint(item string) string {
	var all []string
	for _, c := range d.Hiding(item) {
		all = append(all, d.Fingerprint(c.ID))
	}
	for _, p := range d.Unsaid(item) {
		all = append(all, p.fingerprint())
	}
	if len(all) == 0 {
		return ""
	}
	slices.Sort(all)
	b, _ := json.Marshal(all)
	h := sha256.Sum256(b)
	return hex.EncodeToString(h[:16])
}
