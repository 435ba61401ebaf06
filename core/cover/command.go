package cover

import (
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"slices"
)

// Command is one edit of a document. Each kind is a type of its own that holds its
// operands and nothing else; CommandKinds lists them. Interface, API and scripts edit
// through commands, so that the rules of editing stand here once. Knots and rectangles
// are in picture coordinates at the command's frame; the core takes them back to where
// the cover was drawn.
type Command interface {
	// apply changes the draft and says in words what it did.
	apply(d *draft) (label string, err error)
	// about names what it changes, for Untouched.
	about() subject
}

// subject is what a command changes: nothing that was there before, where it is zero.
type subject struct {
	cover, track, label, marker, passage string
	all                                  bool // every cover
}

// ErrNoCover says that a command names a cover that the document has not.
var ErrNoCover = errors.New("edit: the cover is not there any more")

// draft is a document that commands are changing. It shares with the document it was
// made from every cover that no command has asked for.
type draft struct {
	*Document
	own map[string]bool // covers that are copies
}

// cover returns a cover to change.
func (d *draft) cover(id string) (*Cover, error) {
	c := d.Find(id)
	if c == nil {
		return nil, ErrNoCover
	}
	if !d.own[id] {
		d.own[id] = true
		*c = c.clone()
	}
	return c, nil
}

// unlocked returns a cover to change, unless it is locked. Who changes a draft makes it their
// own.
func (d *draft) unlocked(id string) (*Cover, error) {
	c, err := d.cover(id)
	if err == nil && c.Locked {
		return nil, fmt.Errorf("edit: %s is locked; unlock it first", c.Name)
	}
	if err == nil {
		c.Draft = false
	}
	return c, err
}

// still returns an unlocked cover for what the program does with a draft, which stays one.
func (d *draft) still(id string) (*Cover, error) {
	was := d.Find(id)
	is := was != nil && was.Draft
	c, err := d.unlocked(id)
	if err == nil {
		c.Draft = is
	}
	return c, err
}

// drawn returns an unlocked cover that a person drew: what was found in the picture has
// no outline, keys or treatment.
func (d *draft) drawn(id string) (*Cover, error) {
	c, err := d.unlocked(id)
	if err == nil && c.Proposed != nil {
		return nil, fmt.Errorf("edit: %s was found in the picture; it has no outline, keys or treatment", c.Name)
	}
	return c, err
}

// drawnAt is drawn for a change at a frame: a key outside the span would be lost from
// sight.
func (d *draft) drawnAt(id string, frame Time) (*Cover, error) {
	c, err := d.drawn(id)
	if err == nil && !c.Span.Holds(frame) {
		return nil, fmt.Errorf("edit: frame %v lies outside the span of %s (%d to %d)", frame, c.Name, c.Span.First,
			c.Span.Last)
	}
	return c, err
}

// Apply returns a copy of the document with the commands applied in order, and what the
// first of them did, in words. On an error the document is unchanged; ErrLarge is one of
// them. Covers that no command names are shared between the two.
func (d *Document) Apply(cmds ...Command) (*Document, string, error) {
	next := *d
	next.Covers, next.Tracks = slices.Clone(d.Covers), slices.Clone(d.Tracks)
	next.link()
	work := draft{&next, map[string]bool{}}
	said := ""
	for _, cmd := range cmds {
		label, err := cmd.apply(&work)
		if err != nil {
			return nil, "", err
		}
		if said == "" {
			said = label
		}
	}
	if err := next.validate(func(id string) bool { return work.own[id] }); err != nil {
		return nil, "", err
	}
	if err := next.fits(); err != nil {
		return nil, "", err
	}
	for id := range work.own {
		if c := next.Find(id); c != nil {
			c.Motion.settle()
		}
	}
	next.tidy()
	return &next, said, nil
}

// Untouched reports whether everything that the commands name is in both documents the
// same: commands made on one can then be applied to the other without overwriting what
// was done there.
func Untouched(a, b *Document, cmds []Command) bool {
	for _, cmd := range cmds {
		s := cmd.about()
		if s.track != "" && !sameJSON(a.Track(s.track), b.Track(s.track)) {
			return false
		}
		if s.label != "" && !sameJSON(a.Label(s.label), b.Label(s.label)) {
			return false
		}
		if s.marker != "" && !sameJSON(a.Marker(s.marker), b.Marker(s.marker)) {
			return false
		}
		if s.passage != "" && !sameJSON(a.Passage(s.passage), b.Passage(s.passage)) {
			return false
		}
		if s.all && !sameJSON(a.Covers, b.Covers) {
			return false
		}
		if p, q := a.Find(s.cover), b.Find(s.cover); s.cover != "" && (p == nil || q == nil || !sameJSON(p, q)) {
			return false
		}
	}
	return true
}

// sameJSON compares what is written of two things.
func sameJSON(a, b any) bool {
	x, err := json.Marshal(a)
	y, err2 := json.Marshal(b)
	return err == nil && err2 == nil && string(x) == string(y)
}

// CommandKind is a kind of command: its name where commands are written, what it is for,
// and the type that has its operands.
type CommandKind struct {
	Do   string
	Doc  string
	Type reflect.Type
}

func kind[C Command](do, doc string) CommandKind { return CommandKind{do, doc, reflect.TypeFor[C]()} }

// CommandKinds are all kinds of commands, by subject.
var CommandKinds = []CommandKind{
	kind[AddCover]("add", "a new cover"),
	kind[RemoveCover]("remove", "a cover, with its labels and what is held out of it alone"),
	kind[ReplaceCover]("replace", "all of a cover but id, item and name by another's; off its track"),
	kind[RenameCover]("rename", "a cover"),
	kind[SwitchCover]("switch", "whether a cover hides its item"),
	kind[DuplicateCover]("duplicate", "a cover once more, with its motion and treatments, for another item"),
	kind[LockCover]("lock", "a cover: it refuses edits"),
	kind[ConfirmCover]("confirm", "somebody says yes to a draft"),
	kind[HideOutline]("unsee", "a cover's outline is not drawn; it still hides its item"),
	kind[ShowOnly]("only", "no outline is drawn but this one's, or all again"),
	kind[InvertCover]("invert", "a cover hides everything outside its outlines"),
	kind[SetSpan]("span", "a cover's first and last frame"),

	kind[PlaceCover]("place", "a cover by hand"),
	kind[FitCover]("fit", "a cover, placed so that its box lies on a rectangle"),
	kind[MoveLike]("moveLike", "a cover takes the track and the motion of another"),

	kind[AddOutline]("addOutline", "whose one key has knots as they lie in the picture"),
	kind[RemoveOutline]("removeOutline", "of a cover that has others"),
	kind[ConvertOutline]("shape", "a box becomes free corners, or anything a path"),
	kind[ReshapeOutline]("reshape", "an outline's knots"),
	kind[InsertKnot]("insertKnot", "on all keys; the shape stays"),
	kind[RemoveKnots]("removeKnots", "on all keys"),
	kind[SmoothKnots]("smooth", "with handles, or corners without"),

	kind[SetNumber]("set", "a number of a cover"),
	kind[AddKey]("addKey", "keys what is there"),
	kind[HoldKeys]("hold", "place and shape stay as they are on the key before, up to a frame"),
	kind[MoveKeys]("moveKeys", "of some lanes, or all"),
	kind[RemoveKeys]("removeKeys", "of some lanes, or all"),
	kind[EaseKeys]("ease", "how values go on from keys"),
	kind[PasteKeys]("paste", "copied keys, the first at a frame"),
	kind[PasteOntoAll]("pasteAll", "one copied frame onto every key there is"),

	kind[SetTreatments]("treat", "all treatments of a cover, in order"),
	kind[SoftenOn]("softenSide", "where a cover's soft edge lies"),
	kind[FollowStyle]("style", "a cover follows a house style, with what it says now, or none"),

	kind[SetTrack]("track", "a new track, or a changed one"),
	kind[NameTrack]("nameTrack", "another name for a track"),
	kind[TrimTrack]("trim", "the frames of a track that count, or all again"),
	kind[RemoveTrack]("untrack", "that nothing rides on"),
	kind[RideTrack]("ride", "a cover on a track, as it lies on a frame"),
	kind[TurnIntoKeys]("byHand", "a cover off its track: keys, no knot further off than so many px"),

	kind[HoldOutOf]("holds", "of a holdout: the covers that it passes before"),
	kind[MarkCrossing]("mark", "of a drawn holdout: a frame of its crossing"),
	kind[AcceptProposal]("accept", "of a proposed holdout: a stretch is taken, or no more"),
	kind[PaintProposal]("paint", "of a proposed holdout: a stroke of the brush"),
	kind[ProposeAgain]("propose", "of a proposed holdout: another run's mattes; nothing is accepted yet"),

	kind[SetLabel]("label", "a new label, or a changed one"),
	kind[RemoveLabel]("unlabel", "from what it follows"),
	kind[SetMarker]("marker", "a new marker, or a changed one"),
	kind[RemoveMarker]("unmark", "from its frame"),
	kind[SetPassage]("passage", "of the sound: a new one, or a changed one"),
	kind[RemovePassage]("unpassage", "of the sound, which stays as it is"),
	kind[SetGraphic]("graphic", "a picture for patches, new or changed"),
}

// Commands are commands as they are written: JSON objects with the kind's name under "do"
// beside the operands.
type Commands []Command

// MarshalJSON writes the commands.
func (cs Commands) MarshalJSON() ([]byte, error) {
	out := []byte{'['}
	for i, c := range cs {
		if i > 0 {
			out = append(out, ',')
		}
		k := slices.IndexFunc(CommandKinds, func(k CommandKind) bool { return k.Type == reflect.TypeOf(c) })
		if k < 0 {
			return nil, fmt.Errorf("edit: %T is no command", c)
		}
		b, err := json.Marshal(c)
		if err != nil {
			return nil, err
		}
		out = append(out, fmt.Sprintf(`{"do":%q`, CommandKinds[k].Do)...)
		if len(b) > 2 { // not {}
			out = append(out, ',')
		}
		out = append(out, b[1:]...)
	}
	return append(out, ']'), nil
}

// UnmarshalJSON reads commands. The error names what is not known.
func (cs *Commands) UnmarshalJSON(b []byte) error {
	var raw []json.RawMessage
	if err := json.Unmarshal(b, &raw); err != nil {
		return err
	}
	out := make(Commands, 0, len(raw))
	for _, r := range raw {
		var head struct {
			Do string `json:"do"`
		}
		if err := json.Unmarshal(r, &head); err != nil {
			return err
		}
		k := slices.IndexFunc(CommandKinds, func(k CommandKind) bool { return k.Do == head.Do })
		if k < 0 {
			return fmt.Errorf("edit: %q is no command", head.Do)
		}
		c := reflect.New(CommandKinds[k].Type)
		if err := json.Unmarshal(r, c.Interface()); err != nil {
			return fmt.Errorf("edit: %s: %w", head.Do, err)
		}
		out = append(out, c.Elem().Interface().(Command))
	}
	*cs = out
	return nil
}

// word chooses what a switch is said as.
func word(on bool, yes, no string) string {
	if on {
		return yes
	}
	return no
}

func count(n int, what string) string {
	if n == 1 {
		return "a " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}
