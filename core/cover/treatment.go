package cover

import (
	"errors"
	"fmt"
	"slices"

	"celator/core/frame"
	"celator/core/geom"
)

// Kind names a treatment.
type Kind string

const (
	Blur        Kind = "blur"
	Mosaic      Kind = "mosaic"
	Fill        Kind = "fill"
	Dim         Kind = "dim"
	SurfaceFill Kind = "surfaceFill"
	Patch       Kind = "patch"
)

// Treatment is what is done inside the matte. Which of its settings belong to which
// kind stands in Kinds; the others are absent.
type Treatment struct {
	ID       string `json:"id"`
	Kind     Kind   `json:"kind" enum:"blur,mosaic,fill,dim,surfaceFill,patch"`
	Off      bool   `json:"off,omitempty"`
	Strength Value  `json:"strength" doc:"0 to 1; below 1 the picture shows through"`
	Sigma    Pair   `json:"sigma,omitzero" doc:"of a blur, px"`
	Cell     Pair   `json:"cell,omitzero" doc:"of a mosaic, px, at least 2"`
	Form     string `json:"form,omitempty" enum:"square,brick,hexagon,dot" doc:"of a mosaic's cells; square where absent"`
	Rides    bool   `json:"rides,omitempty" doc:"the mosaic's grid lies on the surface instead of the screen"`
	Colour   string `json:"colour,omitempty" doc:"of a fill, #rrggbb"`
	Around   bool   `json:"around,omitempty" doc:"the fill has the colour of what is around the outline instead"`
	Level    Value  `json:"level,omitzero" doc:"of a dim: 0 black, 1 as it is, 2 white"`
	Grain    Value  `json:"grain,omitzero" doc:"of the source's grain, put back; 1 is as much as around"`
	Shading  Value  `json:"shading,omitzero" doc:"of the original's shape of light, kept; 0 to 1"`
	Graphic  string `json:"graphic,omitempty" doc:"of a patch: the graphic's id"`
	Fit      string `json:"fit,omitempty" enum:"stretched,inside,filling" doc:"of a patch; stretched where absent"`
	Scale    Value  `json:"scale,omitzero" doc:"of a patch, 1 is as it fits"`
	Shift    Pair   `json:"shift,omitzero" doc:"of a patch, in widths and heights of the outline"`
	Light    Value  `json:"light,omitzero" doc:"of a patch: how far the surface's light is followed, 0 to 1"`
}

// LiveTreatment is a treatment with its values at one frame.
type LiveTreatment struct {
	Kind     Kind       `json:"kind"`
	Strength float64    `json:"strength"`
	Sigma    geom.Point `json:"sigma,omitzero"`
	Cell     geom.Point `json:"cell,omitzero"`
	Form     string     `json:"form,omitempty"`
	Rides    bool       `json:"rides,omitempty"`
	Colour   string     `json:"colour,omitempty"`
	Around   bool       `json:"around,omitempty"`
	Level    float64    `json:"level,omitempty"`
	Grain    float64    `json:"grain,omitempty"`
	Shading  float64    `json:"shading,omitempty"`
	Graphic  string     `json:"graphic,omitempty"`
	Fit      string     `json:"fit,omitempty"`
	Scale    float64    `json:"scale,omitempty"`
	Shift    geom.Point `json:"shift,omitzero"`
	Light    float64    `json:"light,omitempty"`
}

// At returns the treatment's values at frame f.
func (t *Treatment) At(f Time) LiveTreatment {
	return LiveTreatment{
		Kind: t.Kind, Strength: t.Strength.At(f), Sigma: t.Sigma.At(f), Cell: t.Cell.At(f), Form: t.Form, Rides: t.Rides,
		Colour: t.Colour, Around: t.Around,
		Level: t.Level.At(f), Grain: t.Grain.At(f), Shading: t.Shading.At(f), Graphic: t.Graphic, Fit: t.Fit,
		Scale: t.Scale.At(f), Shift: t.Shift.At(f), Light: t.Light.At(f),
	}
}

// Setting describes one thing of a treatment that can be set: what its card shows, what
// may be keyed, and what is valid.
type Setting struct {
	Name  string `json:"name"` // as in the document; of a number also its lane's
	Title string `json:"title"`
	// Sort is "number", "choice", "switch", "colour" or "graphic".
	Sort string `json:"sort" enum:"number,choice,switch,colour,graphic"`
	// Of a number: its unit, its range, the part of it that a slider spans, what it
	// begins with (a switch begins off at 0), and by how much it is shown larger than it
	// is stored.
	Unit   string      `json:"unit,omitempty"`
	Least  float64     `json:"least"`
	Most   float64     `json:"most"`
	Slider *geom.Point `json:"slider,omitempty"`
	Begins float64     `json:"begins"`
	Times  float64     `json:"times,omitempty"`
	Digits int         `json:"digits"`
	// Of a choice: its values with their titles, the first one being the absent one.
	Choices []Choice `json:"choices,omitempty"`
	// Unless names a switch; while that is on the setting does nothing.
	Unless string `json:"unless,omitempty"`
}

// Choice is one value of a choice, with its title.
type Choice struct {
	Value string `json:"value"`
	Title string `json:"title"`
}

// Description is what a kind of treatment is for people.
type Description struct {
	Kind     Kind      `json:"kind"`
	Title    string    `json:"title"`
	Settings []Setting `json:"settings"`
	// CleanPlate says that it needs to know the surface beyond the frame (treat.CleanPlate).
	CleanPlate bool `json:"clean plate"`
}

func px(name, title string, least, most, begins float64, digits int, slider geom.Point) Setting {
	return Setting{
		Name: name, Title: title, Sort: "number", Unit: "px", Least: least, Most: most, Begins: begins,
		Digits: digits, Slider: &slider,
	}
}

func share(name, title string, most, begins float64) Setting {
	return Setting{Name: name, Title: title, Sort: "number", Unit: "%", Most: most, Begins: begins, Times: 100}
}

var grain, shading = share("grain", "Grain", 3, 1), share("shading", "Shading", 1, 0)

// Kinds are the treatments there are, in the order in which they are offered. A new one
// is a row here and a file in core/treat.
var Kinds = []Description{
	{Kind: Blur, Title: "Blur", Settings: []Setting{
		px("sigma/across", "Sigma across", 0, 500, 16, 1, geom.Pt(0, 80)),
		px("sigma/down", "Sigma down", 0, 500, 16, 1, geom.Pt(0, 80)),
	}},
	{Kind: Mosaic, Title: "Mosaic", Settings: []Setting{
		px("cell/across", "Cell across", 2, 2000, 24, 0, geom.Pt(2, 120)),
		px("cell/down", "Cell down", 2, 2000, 24, 0, geom.Pt(2, 120)),
		{Name: "form", Title: "Cells", Sort: "choice", Choices: []Choice{
			{"square", "Square"}, {"brick", "Brick"}, {"hexagon", "Hexagon"}, {"dot", "Dot"},
		}},
		{Name: "rides", Title: "Grid rides with the surface", Sort: "switch"},
	}},
	{Kind: Fill, Title: "Fill", CleanPlate: true, Settings: []Setting{
		{Name: "colour", Title: "Colour", Sort: "colour", Unless: "around"},
		{Name: "around", Title: "Colour from around", Sort: "switch", Begins: 1},
		grain, shading,
	}},
	{Kind: Dim, Title: "Dim", Settings: []Setting{{
		Name: "level", Title: "Level", Sort: "number", Unit: "%", Most: 2,
		Begins: .25, Times: 100, Slider: &geom.Point{Y: 2},
	}}},
	{Kind: SurfaceFill, Title: "Surface", CleanPlate: true, Settings: []Setting{grain, shading}},
	{Kind: Patch, Title: "Patch", CleanPlate: true, Settings: []Setting{
		{Name: "graphic", Title: "Graphic", Sort: "graphic"},
		{Name: "fit", Title: "Fit", Sort: "choice", Choices: []Choice{
			{"stretched", "Stretched"}, {"inside", "Inside"}, {"filling", "Filling"},
		}},
		{
			Name: "scale", Title: "Size", Sort: "number", Unit: "%", Least: .05, Most: 20, Begins: 1, Times: 100,
			Slider: &geom.Point{X: .5, Y: 2},
		},
		{Name: "shift/across", Title: "Move across", Sort: "number", Unit: "%", Least: -10, Most: 10, Times: 100, Digits: 1},
		{Name: "shift/down", Title: "Move down", Sort: "number", Unit: "%", Least: -10, Most: 10, Times: 100, Digits: 1},
		share("light", "Light", 1, 1), grain, shading,
	}},
}

// Describe returns the description of a kind, or nil.
func Describe(k Kind) *Description {
	for i := range Kinds {
		if Kinds[i].Kind == k {
			return &Kinds[i]
		}
	}
	return nil
}

var strength = Setting{Name: "strength", Title: "Strength", Sort: "number", Unit: "%", Most: 1, Begins: 1, Times: 100}

// settings returns all settings of the treatment's kind, with what all kinds have.
func (t *Treatment) settings() []Setting {
	out := []Setting{strength}
	if d := Describe(t.Kind); d != nil {
		out = append(out, d.Settings...)
	}
	return out
}

// number returns the keyable number of a name, whatever the kind; nil for another name.
func (t *Treatment) number(name string) *Value {
	switch name {
	case "strength":
		return &t.Strength
	case "sigma/across":
		return &t.Sigma.Across
	case "sigma/down":
		return &t.Sigma.Down
	case "cell/across":
		return &t.Cell.Across
	case "cell/down":
		return &t.Cell.Down
	case "level":
		return &t.Level
	case "grain":
		return &t.Grain
	case "shading":
		return &t.Shading
	case "scale":
		return &t.Scale
	case "shift/across":
		return &t.Shift.Across
	case "shift/down":
		return &t.Shift.Down
	case "light":
		return &t.Light
	}
	return nil
}

// numbers are the names of all keyable numbers of any kind.
var numbers = func() (names []string) {
	for _, d := range Kinds {
		for _, s := range d.Settings {
			if s.Sort == "number" && !slices.Contains(names, s.Name) {
				names = append(names, s.Name)
			}
		}
	}
	return append(names, "strength")
}()

// choice returns the setting of a choice, a colour or a graphic.
func (t *Treatment) choice(name string) *string {
	switch name {
	case "form":
		return &t.Form
	case "fit":
		return &t.Fit
	case "colour":
		return &t.Colour
	case "graphic":
		return &t.Graphic
	}
	return nil
}

// toggle returns the setting of a switch.
func (t *Treatment) toggle(name string) *bool {
	if name == "rides" {
		return &t.Rides
	}
	return &t.Around
}

func (t *Treatment) validate(frames int) error {
	d := Describe(t.Kind)
	if d == nil {
		return fmt.Errorf("kind %q is not known", t.Kind)
	}
	var err error
	own := map[string]bool{}
	for _, s := range t.settings() {
		own[s.Name] = true
		switch s.Sort {
		case "number":
			if e := t.number(s.Name).validate(frames, s.Least, s.Most); e != nil {
				err = errors.Join(err, fmt.Errorf("%s: %w", s.Name, e))
			}
		case "choice":
			if v := *t.choice(s.Name); v != "" && !slices.ContainsFunc(s.Choices, func(c Choice) bool { return c.Value == v }) {
				err = errors.Join(err, fmt.Errorf("%s %q is not known", s.Name, v))
			}
		case "colour":
			if _, _, _, e := frame.ParseHex(t.Colour); e != nil {
				err = errors.Join(err, e)
			}
		case "graphic":
			if t.Graphic != "" && !identifier.MatchString(t.Graphic) {
				err = errors.Join(err, errors.New("the graphic's id is not plain"))
			}
		}
	}
	strange := t.Rides && !own["rides"] || t.Around && !own["around"]
	for _, name := range numbers {
		strange = strange || !own[name] && !t.number(name).IsZero()
	}
	for _, name := range []string{"form", "fit", "colour", "graphic"} {
		strange = strange || !own[name] && *t.choice(name) != ""
	}
	if strange {
		err = errors.Join(err, fmt.Errorf("a %s has settings of another kind", t.Kind))
	}
	return err
}
