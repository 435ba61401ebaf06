package cover

import (
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strings"

	"celator/core/geom"
)

// Command is one edit of a document, named by Do; the other fields are its
// operands. Interface, API and scripts edit through commands, so that the rules
// of editing stand here once. Knots and rectangles are in picture coordinates at
// Frame; the core takes them back to where the cover was drawn.
//
//	add           New                          a new cover
//	remove        Cover
//	replace       Cover, New                   all of it but id, item and name by another's; off its track
//	rename        Cover, Name
//	switch        Cover, On                    hides its item, or not
//	lock, unsee   Cover, On                    refuses edits; its outline is not drawn
//	only          Cover, On                    draws no outline but this one's, or all again
//	invert        Cover, On
//	span          Cover, Span
//	place         Cover, Frame, Placement, Scope
//	fit           Cover, Frame, Rect           placed so that its box lies on the rectangle
//	addOutline    Cover, Frame, Outline        whose one key has knots as they lie in the picture
//	removeOutline Cover, ID
//	shape         Cover, ID, Shape             a box or an ellipse becomes corners or a path
//	reshape       Cover, ID, Frame, Knots, Scope
//	insertKnot    Cover, ID, Index, At         on all keys; the shape stays
//	removeKnots   Cover, ID, Indexes           on all keys
//	smooth        Cover, ID, Indexes, On       with handles, or corners without
//	set           Cover, Lane, Number, Frame, Scope
//	addKey        Cover, Lane, Frame           keys what is there
//	moveKeys      Cover, Frames, By, Lanes     Lanes: these only; all where absent
//	removeKeys    Cover, Frames, Lanes
//	ease          Cover, Frames, Ease, Lanes
//	paste         Cover, Frame, Keys           copied keys, the first at Frame
//	pasteAll      Cover, Keys                  one copied frame, onto every key there is
//	treat         Cover, Treatments            all treatments, in order
//	track         Track                        a new track, or a changed one
//	untrack       ID                           of a track that nothing rides on
//	ride          Cover, ID, Frame             on a track, as it lies on that frame
//	holds         Cover, For                   of a holdout: the covers that it passes before
//	mark          Cover, Index, Frame          of a drawn holdout: a frame of its crossing
//	accept        Cover, Span, On              of a proposed one: a stretch is taken, or no more
//	paint         Cover, Stroke                of a proposed one
//	propose       Cover, Proposed              of a proposed one: another run's mattes; nothing is taken yet
//	softenSide    Cover, Name                  where the soft edge lies: outside, inside, both
//	style         Cover, ID, Style             follows a house style, with what it says now; without Style it follows none
//	moveLike      Cover, ID                    takes the track and the motion of another cover
//	label         Label                        a new label, or a changed one
//	unlabel       ID
//	graphic       Graphic                      a picture for patches
//	byHand        Cover, Number                off its track: keys, no knot further off than so many px
//
// Scope says whether a change of something keyed is for this frame (a key is
// added where there is none) or for the whole span (all keys change alike).
// Without one, placements and knots change at this frame, numbers over the span.
type Command struct {
	Do         string      `json:"do" enum:"add,remove,replace,rename,switch,lock,unsee,only,invert,span,place,fit,addOutline,removeOutline,shape,reshape,insertKnot,removeKnots,smooth,set,addKey,moveKeys,removeKeys,ease,paste,pasteAll,treat,track,untrack,ride,byHand,holds,mark,accept,paint,propose,softenSide,style,moveLike,label,unlabel,graphic"`
	Cover      string      `json:"cover,omitempty"`
	New        *Cover      `json:"new,omitempty"`
	Name       string      `json:"name,omitempty"`
	On         bool        `json:"on,omitempty"`
	Span       *Span       `json:"span,omitempty"`
	Frame      int         `json:"frame,omitempty"`
	Scope      Scope       `json:"scope,omitempty" enum:"frame,span"`
	Placement  *Placement  `json:"placement,omitempty"`
	Rect       *geom.Rect  `json:"rect,omitempty"`
	Outline    *Outline    `json:"outline,omitempty"`
	ID         string      `json:"id,omitempty" doc:"of an outline or a track"`
	Shape      Shape       `json:"shape,omitempty" enum:"corners,path"`
	Knots      geom.Path   `json:"knots,omitempty"`
	Index      int         `json:"index,omitempty"`
	Indexes    []int       `json:"indexes,omitempty"`
	At         float64     `json:"at,omitempty"`
	Lane       string      `json:"lane,omitempty"`
	Lanes      []string    `json:"lanes,omitempty"`
	Number     float64     `json:"number,omitempty"`
	Frames     []int       `json:"frames,omitempty"`
	By         int         `json:"by,omitempty"`
	Ease       Ease        `json:"ease,omitempty"`
	Keys       []Copied    `json:"keys,omitempty"`
	Treatments []Treatment `json:"treatments,omitempty"`
	Track      *Track      `json:"track,omitempty"`
	For        []string    `json:"for,omitempty"`
	Stroke     *Stroke     `json:"stroke,omitempty"`
	Proposed   *Proposed   `json:"proposed,omitempty"`
	Style      *Style      `json:"style,omitempty"`
	Label      *Label      `json:"label,omitempty"`
	Graphic    *Graphic    `json:"graphic,omitempty"`
}

// Scope is what a change of something keyed is for.
type Scope string

const (
	ThisFrame Scope = "frame"
	WholeSpan Scope = "span"
)

// ErrNoCover says that a command names a cover that the document has not.
var ErrNoCover = errors.New("edit: the cover is not there any more")

// Apply returns a copy of the document with the commands applied in order, and
// what the first of them did, in words. On an error the document is unchanged; ErrLarge
// is one of them.
// Covers that no command names are shared between the two.
func (d *Document) Apply(cmds ...Command) (*Document, string, error) {
	next := *d
	next.Covers, next.Tracks = slices.Clone(d.Covers), slices.Clone(d.Tracks)
	next.link()
	own := map[string]bool{}
	label := ""
	for _, cmd := range cmds {
		if c := next.Find(cmd.Cover); c != nil && !own[cmd.Cover] {
			own[cmd.Cover] = true
			*c = c.clone()
		}
		l, err := next.apply(cmd)
		if err != nil {
			return nil, "", err
		}
		if label == "" {
			label = l
		}
		if cmd.Do == "add" {
			own[cmd.New.ID] = true
		}
	}
	if err := next.validate(func(id string) bool { return own[id] }); err != nil {
		return nil, "", err
	}
	if err := next.fits(); err != nil {
		return nil, "", err
	}
	next.tidy()
	return &next, label, nil
}

// Clone returns a deep copy.
func (d *Document) Clone() *Document {
	n := *d
	n.Covers = make([]Cover, len(d.Covers))
	for i := range d.Covers {
		n.Covers[i] = d.Covers[i].clone()
	}
	n.Tracks = slices.Clone(d.Tracks)
	n.link()
	return &n
}

func (c Cover) clone() Cover {
	c.Outlines = slices.Clone(c.Outlines)
	for j := range c.Outlines {
		c.Outlines[j] = c.Outlines[j].clone()
	}
	c.Motion.Keys = slices.Clone(c.Motion.Keys)
	c.Treatments = slices.Clone(c.Treatments)
	c.HoldsOut = slices.Clone(c.HoldsOut)
	if c.Proposed != nil {
		p := *c.Proposed
		c.Proposed = &p
	}
	values := []*Value{&c.Grow, &c.Soften.Across, &c.Soften.Down, &c.Transparency}
	for j := range c.Treatments {
		c.Treatments[j] = c.Treatments[j].clone()
	}
	for _, v := range values {
		v.Keys = slices.Clone(v.Keys)
	}
	return c
}

func (o Outline) clone() Outline {
	o.Keys = slices.Clone(o.Keys)
	for k := range o.Keys {
		o.Keys[k].Knots = slices.Clone(o.Keys[k].Knots)
	}
	return o
}

// Untouched reports whether every cover that the commands name is in both
// documents the same: commands made on one can then be applied to the other
// without overwriting what was done there.
func Untouched(a, b *Document, cmds []Command) bool {
	for _, cmd := range cmds {
		if cmd.Do == "add" {
			continue
		}
		if id := cmd.trackID(); id != "" {
			x, _ := json.Marshal(a.Track(id))
			y, _ := json.Marshal(b.Track(id))
			if string(x) != string(y) {
				return false
			}
			if cmd.Cover == "" {
				continue
			}
		}
		p, q := a.Find(cmd.Cover), b.Find(cmd.Cover)
		if p == nil || q == nil {
			return false
		}
		x, err := json.Marshal(p)
		y, err2 := json.Marshal(q)
		if err != nil || err2 != nil || string(x) != string(y) || cmd.Do == "only" && !reflect.DeepEqual(a.Covers, b.Covers) {
			return false
		}
	}
	return true
}

// trackID names the track that a command is about.
func (cmd *Command) trackID() string {
	switch {
	case cmd.Do == "track" && cmd.Track != nil:
		return cmd.Track.ID
	case cmd.Do == "untrack", cmd.Do == "ride":
		return cmd.ID
	}
	return ""
}

func (d *Document) apply(cmd Command) (string, error) {
	if cmd.Scope != "" && cmd.Scope != ThisFrame && cmd.Scope != WholeSpan {
		return "", fmt.Errorf("edit: %q is no scope", cmd.Scope)
	}
	if cmd.Do == "add" {
		if cmd.New == nil {
			return "", errors.New("edit: add needs the new cover")
		}
		d.Covers = append(d.Covers, cmd.New.clone())
		return "added " + cmd.New.Name, nil
	}
	switch cmd.Do {
	case "track":
		if cmd.Track == nil {
			return "", errors.New("edit: track needs the track")
		}
		return d.track(*cmd.Track), nil
	case "untrack":
		return d.untrack(cmd.ID)
	case "label":
		if cmd.Label == nil {
			return "", errors.New("edit: label needs the label")
		}
		return d.label(*cmd.Label), nil
	case "unlabel":
		return d.unlabel(cmd.ID)
	case "graphic":
		if cmd.Graphic == nil {
			return "", errors.New("edit: graphic needs the graphic")
		}
		return d.graphic(*cmd.Graphic), nil
	}
	c := d.Find(cmd.Cover)
	if c == nil {
		return "", ErrNoCover
	}
	switch cmd.Do {
	case "lock":
		c.Locked = cmd.On
		return word(cmd.On, "locked ", "unlocked ") + c.Name, nil
	case "unsee":
		c.Unseen = cmd.On
		return word(cmd.On, "put away the outline of ", "showed the outline of ") + c.Name, nil
	case "only":
		for i := range d.Covers {
			d.Covers[i].Unseen = cmd.On && d.Covers[i].ID != cmd.Cover
		}
		return word(cmd.On, "showed only the outline of "+c.Name, "showed all outlines"), nil
	}
	if c.Locked {
		return "", fmt.Errorf("edit: %s is locked; unlock it first", c.Name)
	}
	if cmd.Do == "remove" {
		name := c.Name
		d.Covers = slices.DeleteFunc(d.Covers, func(c Cover) bool { return c.ID == cmd.Cover })
		for i := range d.Covers { // what was held out of it alone goes with it
			h := &d.Covers[i]
			if slices.Contains(h.HoldsOut, cmd.Cover) {
				h.HoldsOut = slices.DeleteFunc(slices.Clone(h.HoldsOut), func(id string) bool { return id == cmd.Cover })
				h.Off = h.Off || len(h.HoldsOut) == 0
			}
		}
		d.Covers = slices.DeleteFunc(d.Covers, func(c Cover) bool { return c.HoldsOut != nil && len(c.HoldsOut) == 0 })
		d.Labels = slices.DeleteFunc(slices.Clone(d.Labels), func(l Label) bool { return l.Cover == cmd.Cover })
		return "removed " + name, nil
	}
	switch cmd.Do {
	case "replace":
		if cmd.New == nil {
			return "", errors.New("edit: replace needs the other cover")
		}
		n := cmd.New.clone()
		n.ID, n.Item, n.Name, n.Track, n.From, n.HoldsOut = c.ID, c.Item, c.Name, "", 0, c.HoldsOut
		*c = n
		return "replaced all of " + c.Name, nil
	case "ride":
		t := d.Track(cmd.ID)
		if t == nil {
			return "", ErrNoTrack
		}
		if cmd.Frame < 0 || cmd.Frame >= d.Frames {
			return "", fmt.Errorf("edit: the shot has no frame %d", cmd.Frame)
		}
		c.ride(t, cmd.Frame)
		return fmt.Sprintf("put %s on the track %s", c.Name, t.Name), nil
	case "moveLike":
		return d.moveLike(c, cmd.ID)
	case "byHand":
		if c.on == nil {
			return "", fmt.Errorf("edit: %s rides on no track", c.Name)
		}
		if !(cmd.Number >= .05 && cmd.Number <= 100) {
			return "", errors.New("edit: the tolerance is 0.05 to 100 px")
		}
		return fmt.Sprintf("turned the track of %s into %s", c.Name, count(c.byHand(cmd.Number), "key")), nil
	}
	switch cmd.Do {
	case "holds", "mark", "accept", "paint", "propose":
		return c.applyHoldout(cmd)
	}
	if c.Proposed != nil && !slices.Contains([]string{"rename", "switch", "span"}, cmd.Do) {
		return "", fmt.Errorf("edit: %s was found in the picture; it has no outline, keys or treatment", c.Name)
	}
	return c.apply(cmd)
}

// moveLike gives a cover the track and the motion of another one, as both lie on the
// first frame of its span: what is placed by hand moves as far, turns and grows alike.
func (d *Document) moveLike(c *Cover, id string) (string, error) {
	from := d.Find(id)
	if from == nil {
		return "", ErrNoCover
	}
	if from.ID == c.ID || from.Proposed != nil {
		return "", fmt.Errorf("edit: %s has no motion that %s could take", from.Name, c.Name)
	}
	f := c.Span.First
	label := fmt.Sprintf("gave %s the motion of %s", c.Name, from.Name)
	if from.on != nil {
		c.ride(from.on, f)
		return label, nil
	}
	c.rest(f)
	if len(from.Motion.Keys) == 0 {
		return label, nil
	}
	was := from.Motion.At(f)
	c.Motion.Keys = nil
	for _, k := range from.Motion.Keys {
		k.Move, k.Turn, k.Size = k.Move.Sub(was.Move), k.Turn-was.Turn, geom.Pt(k.Size.X/was.Size.X, k.Size.Y/was.Size.Y)
		c.Motion.Keys = append(c.Motion.Keys, k)
	}
	return label, nil
}

func word(on bool, yes, no string) string {
	if on {
		return yes
	}
	return no
}

func (c *Cover) apply(cmd Command) (string, error) {
	need := func(ok bool, what string) error {
		if !ok {
			return fmt.Errorf("edit: %s needs %s", cmd.Do, what)
		}
		return nil
	}
	// A key outside the span would be lost from sight.
	here := func() error {
		if !c.Span.Holds(cmd.Frame) {
			return fmt.Errorf("edit: frame %d lies outside the span of %s (%d to %d)", cmd.Frame, c.Name, c.Span.First,
				c.Span.Last)
		}
		return nil
	}
	when := fmt.Sprintf(" at f %d", cmd.Frame)
	if cmd.Scope == WholeSpan {
		when = " over the whole span"
	}
	switch cmd.Do {
	case "rename":
		old := c.Name
		c.Name = strings.TrimSpace(cmd.Name)
		return fmt.Sprintf("renamed %s to %s", old, c.Name), need(c.Name != "", "a name")
	case "switch":
		c.Off = !cmd.On
		return word(cmd.On, "switched on ", "switched off ") + c.Name, nil
	case "invert":
		c.Inverted = cmd.On
		return word(cmd.On, "hid everything outside "+c.Name, "hid what is inside "+c.Name), nil
	case "span":
		if err := need(cmd.Span != nil, "its first and last frame"); err != nil {
			return "", err
		}
		c.Span = *cmd.Span
		l := fmt.Sprintf("set the span of %s to f %d–%d", c.Name, c.Span.First, c.Span.Last)
		if n := c.Outside(); n > 0 {
			l += fmt.Sprintf("; %d of its keys lie outside", n)
		}
		return l, nil
	case "place":
		if err := errors.Join(need(cmd.Placement != nil, "a placement"), here()); err != nil {
			return "", err
		}
		old := c.Motion.At(cmd.Frame)
		c.Motion.place(cmd.Frame, *cmd.Placement, cmd.Scope)
		return placed(old, *cmd.Placement) + " " + c.Name + when, nil
	case "fit":
		if err := errors.Join(need(cmd.Rect != nil && !cmd.Rect.Empty(), "a rectangle"), here()); err != nil {
			return "", err
		}
		p, err := c.fitted(cmd.Frame, *cmd.Rect)
		if err != nil {
			return "", err
		}
		c.Motion.place(cmd.Frame, p, cmd.Scope)
		return "fitted " + c.Name + when, nil
	case "addOutline":
		if err := errors.Join(need(cmd.Outline != nil && len(cmd.Outline.Keys) == 1, "an outline with one key"),
			here()); err != nil {
			return "", err
		}
		o := cmd.Outline.clone()
		back, err := c.Map(cmd.Frame).Inverse()
		o.Keys[0] = PathKey{Frame: cmd.Frame, Knots: o.Keys[0].Knots.Map(back)}
		c.Outlines = append(c.Outlines, o)
		return "added an outline to " + c.Name, err
	case "set":
		v := c.value(cmd.Lane)
		if v == nil {
			return "", fmt.Errorf("edit: %q is no value of %s", cmd.Lane, c.Name)
		}
		if cmd.Scope == ThisFrame {
			if err := here(); err != nil {
				return "", err
			}
			v.set(cmd.Frame, cmd.Number)
		} else {
			v.shift(cmd.Number - v.At(cmd.Frame))
			if len(v.Keys) == 0 {
				v.Constant = cmd.Number
			}
			when = ""
		}
		return fmt.Sprintf("set %s of %s%s", said(cmd.Lane), c.Name, when), nil
	case "addKey", "moveKeys", "removeKeys", "ease", "paste", "pasteAll":
		return c.editKeys(cmd, here)
	case "treat":
		c.Treatments = slices.Clone(cmd.Treatments)
		return "changed the treatment of " + c.Name, nil
	case "softenSide":
		side := SoftenSide(cmd.Name)
		if cmd.Name == "outside" {
			side = SoftenOutside
		}
		c.SoftenSide = side
		return "softened " + c.Name + " " + map[SoftenSide]string{
			SoftenOutside: "outside its outline", SoftenInside: "inside its outline", SoftenBoth: "on both sides of its outline",
		}[side], nil
	case "style":
		c.Style = cmd.ID
		if cmd.Style == nil {
			c.Style = ""
			return c.Name + " follows no house style any more", nil
		}
		c.wear(*cmd.Style)
		return "gave " + c.Name + " a house style", need(cmd.ID != "", "the style’s id")
	}
	i := slices.IndexFunc(c.Outlines, func(o Outline) bool { return o.ID == cmd.ID })
	known := slices.Contains([]string{"removeOutline", "shape", "reshape", "insertKnot", "removeKnots", "smooth"}, cmd.Do)
	if !known {
		return "", fmt.Errorf("edit: %q is no command", cmd.Do)
	}
	if i < 0 {
		return "", fmt.Errorf("edit: %s has no outline %q any more", c.Name, cmd.ID)
	}
	if cmd.Do == "removeOutline" {
		c.Outlines = slices.Delete(c.Outlines, i, i+1)
		return "removed an outline of " + c.Name, need(len(c.Outlines) > 0, "another outline: a cover keeps at least one")
	}
	if cmd.Do == "reshape" {
		if err := here(); err != nil {
			return "", err
		}
		back, err := c.Map(cmd.Frame).Inverse()
		if err != nil {
			return "", err
		}
		if err := c.Outlines[i].reshape(cmd.Frame, cmd.Knots.Map(back), cmd.Scope); err != nil {
			return "", err
		}
		return "reshaped the outline of " + c.Name + when, nil
	}
	return c.Outlines[i].edit(cmd, c.Name)
}

// edit changes what an outline's knots are, on all its keys alike.
func (o *Outline) edit(cmd Command, name string) (string, error) {
	n := len(o.Keys[0].Knots)
	for _, i := range append([]int{cmd.Index}, cmd.Indexes...) {
		if i < 0 || i >= n {
			return "", fmt.Errorf("edit: the outline has no knot %d", i)
		}
	}
	switch cmd.Do {
	case "shape":
		if cmd.Shape != ShapePath && (cmd.Shape != ShapeCorners || o.Shape != ShapeBox) {
			return "", fmt.Errorf("edit: %s %s cannot become %q", article(o.Shape), o.Shape, cmd.Shape)
		}
		o.Shape = cmd.Shape
		return "made the outline of " + name + word(o.Shape == ShapePath, " a path", " free corners"), nil
	case "insertKnot":
		if !(cmd.At > 0 && cmd.At < 1) {
			return "", errors.New("edit: a knot is inserted between two others, at a share above 0 and below 1")
		}
		for k := range o.Keys {
			o.Keys[k].Knots = o.Keys[k].Knots.Split(cmd.Index, cmd.At)
		}
		o.Shape = ShapePath
		return "added a knot to " + name, nil
	case "removeKnots":
		gone := slices.Clone(cmd.Indexes)
		slices.Sort(gone)
		gone = slices.Compact(gone)
		if len(gone) == 0 || n-len(gone) < 3 {
			return "", errors.New("edit: an outline keeps at least three knots")
		}
		for k := range o.Keys {
			for _, i := range slices.Backward(gone) {
				o.Keys[k].Knots = o.Keys[k].Knots.Without(i)
			}
		}
		o.Shape = ShapePath
		return fmt.Sprintf("removed %s from %s", count(len(gone), "knot"), name), nil
	case "smooth":
		for k := range o.Keys {
			knots := slices.Clone(o.Keys[k].Knots)
			for _, i := range cmd.Indexes {
				knots[i] = geom.Knot{P: knots[i].P}
				if cmd.On {
					knots[i] = o.Keys[k].Knots.Smooth(i)
				}
			}
			o.Keys[k].Knots = knots
		}
		o.Shape = ShapePath
		return fmt.Sprintf("made %s of %s %s", count(len(cmd.Indexes), "knot"), name, word(cmd.On, "smooth", "sharp")), nil
	}
	return "", fmt.Errorf("edit: %q is no command", cmd.Do)
}

func article(s Shape) string { return word(s == ShapeEllipse, "an", "a") }

func count(n int, what string) string {
	if n == 1 {
		return "a " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}

// reshape changes the knots (as drawn) at a frame, or moves the knots of all
// keys by as much.
func (o *Outline) reshape(f int, knots geom.Path, scope Scope) error {
	old := o.At(f)
	if len(knots) != len(old) {
		return fmt.Errorf("edit: the outline has %d knots, not %d", len(old), len(knots))
	}
	if scope != WholeSpan {
		o.set(f, knots)
		return nil
	}
	for k := range o.Keys {
		for i := range o.Keys[k].Knots {
			q := &o.Keys[k].Knots[i]
			q.P = q.P.Add(knots[i].P.Sub(old[i].P))
			q.In = q.In.Add(knots[i].In.Sub(old[i].In))
			q.Out = q.Out.Add(knots[i].Out.Sub(old[i].Out))
		}
	}
	return nil
}

// place changes the placement at a frame, or all keys by as much.
func (m *Motion) place(f int, p Placement, scope Scope) {
	if scope != WholeSpan || len(m.Keys) == 0 {
		setKey(&m.Keys, PlacementKey{Frame: f, Placement: p}, func(k *PlacementKey) { k.Placement = p })
		return
	}
	old := m.At(f)
	for i := range m.Keys {
		k := &m.Keys[i].Placement
		k.Move = k.Move.Add(p.Move.Sub(old.Move))
		k.Turn += p.Turn - old.Turn
		k.Size = geom.Pt(k.Size.X*p.Size.X/old.Size.X, k.Size.Y*p.Size.Y/old.Size.Y)
	}
}

// fitted returns the placement, of the turn that the cover has, whose box has
// the size and the centre of r at frame f.
func (c *Cover) fitted(f int, r geom.Rect) (Placement, error) {
	rest := c.RestBounds(f)
	if rest.Empty() {
		return Placement{}, errors.New("edit: the outline has no area to fit")
	}
	if c.on != nil { // the rectangle as it lies on the surface
		back, err := c.Carried(f).Inverse()
		if err != nil {
			return Placement{}, err
		}
		q := geom.Box(r).Map(back)
		side := func(a, b, c, d int) float64 {
			return (q[b].P.Sub(q[a].P).Len() + q[d].P.Sub(q[c].P).Len()) / 2
		}
		mid, size := back.Apply(r.Centre()), geom.Pt(side(0, 1, 3, 2)/2, side(1, 2, 0, 3)/2)
		r = geom.Rect{Min: mid.Sub(size), Max: mid.Add(size)}
	}
	p := c.Motion.At(f)
	p.Size = geom.Pt((r.Max.X-r.Min.X)/(rest.Max.X-rest.Min.X), (r.Max.Y-r.Min.Y)/(rest.Max.Y-rest.Min.Y))
	p.Move = geom.Point{}
	at := geom.Placement(c.Motion.Pivot, p.Move, p.Turn, p.Size.X, p.Size.Y).Apply(rest.Centre())
	p.Move = r.Centre().Sub(at)
	return p, nil
}

// shift adds to the constant, or to all keys.
func (v *Value) shift(by float64) {
	if len(v.Keys) == 0 {
		v.Constant += by
	}
	for i := range v.Keys {
		v.Keys[i].Value += by
	}
}

// editKeys does what is done to keys of any lane.
func (c *Cover) editKeys(cmd Command, here func() error) (string, error) {
	lanes := slices.DeleteFunc(c.lanes(), func(l lane) bool {
		return len(cmd.Lanes) > 0 && !slices.Contains(cmd.Lanes, l.name) ||
			strings.HasPrefix(l.name, "outline/") && l.len() == 1 && cmd.Do != "addKey" && cmd.Do != "paste"
	})
	byName := func(name string) (lane, error) {
		for _, l := range lanes {
			if l.name == name {
				return l, nil
			}
		}
		return lane{}, fmt.Errorf("edit: %s has no %q", c.Name, name)
	}
	frames := slices.Clone(cmd.Frames)
	slices.Sort(frames)
	frames = slices.Compact(frames)
	at := ""
	if len(frames) == 1 {
		at = fmt.Sprintf(" at f %d", frames[0])
	}
	keys := count(len(frames), "key")
	found := 0
	switch cmd.Do {
	case "addKey":
		l, err := byName(cmd.Lane)
		if err = errors.Join(err, here()); err != nil {
			return "", err
		}
		return fmt.Sprintf("keyed %s of %s at f %d", said(cmd.Lane), c.Name, cmd.Frame), l.paste(cmd.Frame, l.copy(cmd.Frame))
	case "removeKeys":
		for _, l := range lanes {
			for _, f := range frames {
				if i := l.find(f); i >= 0 {
					found++
					if err := l.remove(i); err != nil {
						return "", err
					}
				}
			}
		}
		return fmt.Sprintf("removed %s of %s%s", keys, c.Name, at), c.none(found)
	case "ease":
		for _, l := range lanes {
			for _, f := range frames {
				if i := l.find(f); i >= 0 {
					found++
					_, e := l.key(i).timing()
					*e = cmd.Ease
				}
			}
		}
		return fmt.Sprintf("made %s of %s%s go on %s", keys, c.Name, at,
			map[Ease]string{Even: "evenly", Held: "held", Eased: "eased"}[cmd.Ease]), c.none(found)
	case "moveKeys":
		for _, l := range lanes {
			moving := map[int]bool{}
			for _, f := range frames {
				if i := l.find(f); i >= 0 {
					moving[i] = true
				}
			}
			for i := range moving {
				f, _ := l.key(i).timing()
				to := *f + cmd.By
				if j := l.find(to); j >= 0 && !moving[j] {
					return "", fmt.Errorf("edit: %s has a key at frame %d already", c.Name, to)
				}
				if !c.Span.Holds(to) {
					return "", fmt.Errorf("edit: a key would come to lie at frame %d, outside the span (%d to %d)", to,
						c.Span.First, c.Span.Last)
				}
			}
			for i := range moving {
				f, _ := l.key(i).timing()
				*f += cmd.By
				found++
			}
			l.sort()
		}
		if len(frames) == 1 {
			return fmt.Sprintf("moved a key of %s from f %d to f %d", c.Name, frames[0], frames[0]+cmd.By), c.none(found)
		}
		return fmt.Sprintf("moved %s of %s by %+d frames", keys, c.Name, cmd.By), c.none(found)
	case "paste":
		for _, k := range cmd.Keys {
			f := cmd.Frame + k.Offset
			l, err := byName(k.Lane)
			if err != nil {
				return "", err
			}
			if !c.Span.Holds(f) {
				return "", fmt.Errorf("edit: a key would come to lie at frame %d, outside the span (%d to %d)", f, c.Span.First,
					c.Span.Last)
			}
			if err := l.paste(f, k); err != nil {
				return "", err
			}
			_, e := l.key(l.find(f)).timing()
			*e = k.Ease
		}
		return fmt.Sprintf("pasted keys of %s at f %d", c.Name, cmd.Frame), c.none(len(cmd.Keys))
	case "pasteAll":
		for _, k := range cmd.Keys {
			if k.Offset != 0 {
				return "", errors.New("edit: copy the keys of one frame to paste them onto all")
			}
			l, err := byName(k.Lane)
			if err != nil {
				return "", err
			}
			for i := range l.len() {
				f, _ := l.key(i).timing()
				if err := l.paste(*f, k); err != nil {
					return "", err
				}
			}
		}
		return "pasted onto all keys of " + c.Name, c.none(len(cmd.Keys))
	}
	return "", fmt.Errorf("edit: %q is no command", cmd.Do)
}

// none is the error of an edit that found no key.
func (c *Cover) none(found int) error {
	if found == 0 {
		return fmt.Errorf("edit: %s has no such key", c.Name)
	}
	return nil
}

// said names a lane in words.
func said(lane string) string {
	switch {
	case lane == "placement":
		return "the placement"
	case strings.HasPrefix(lane, "outline/"):
		return "the outline"
	}
	parts := strings.Split(lane, "/")
	if parts[0] == "treatment" {
		parts = parts[2:]
	}
	return strings.Join(parts, " ")
}

// placed names what changed from one placement to another.
func placed(old, new Placement) string {
	switch {
	case old.Size != new.Size:
		return "sized"
	case old.Turn != new.Turn:
		return "turned"
	case old.Move != new.Move:
		return "moved"
	}
	return "keyed"
}
