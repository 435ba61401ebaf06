package interchange

import (
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"

	"celator/core/geom"
)

// OutlineSVG writes closed paths as an SVG picture of the source's size: user units
// are picture coordinates.
func OutlineSVG(width, height int, paths []geom.Path) []byte {
	var b bytes.Buffer
	fmt.Fprintf(&b, `<svg xmlns="http://www.w3.org/2000/svg" width="%d" height="%d" viewBox="0 0 %d %d">`+"\n", width,
		height, width, height)
	for _, p := range paths {
		if len(p) == 0 {
			continue
		}
		fmt.Fprintf(&b, `  <path d="M%.4f,%.4f`, p[0].P.X, p[0].P.Y)
		for i, k := range p {
			l := p[(i+1)%len(p)]
			if k.Out == (geom.Point{}) && l.In == (geom.Point{}) {
				fmt.Fprintf(&b, " L%.4f,%.4f", l.P.X, l.P.Y)
				continue
			}
			c, d := k.P.Add(k.Out), l.P.Add(l.In)
			fmt.Fprintf(&b, " C%.4f,%.4f %.4f,%.4f %.4f,%.4f", c.X, c.Y, d.X, d.Y, l.P.X, l.P.Y)
		}
		b.WriteString(` Z"/>` + "\n")
	}
	b.WriteString("</svg>\n")
	return b.Bytes()
}

// most is how many knots are read of an SVG.
const most = 2000

// ParseOutlineSVG reads the closed shapes of an SVG picture: path, polygon and rect
// elements, whose user units are picture coordinates. Transforms are refused, since
// they would put an outline elsewhere; other elements are passed over.
func ParseOutlineSVG(b []byte) ([]geom.Path, error) {
	dec := xml.NewDecoder(bytes.NewReader(b))
	dec.Entity = map[string]string{}
	var out []geom.Path
	seen := false
	for {
		tok, err := dec.Token()
		if err == io.EOF {
			break
		}
		if err != nil {
			return nil, fmt.Errorf("the file is no SVG: %w", err)
		}
		e, ok := tok.(xml.StartElement)
		if !ok {
			continue
		}
		seen = seen || e.Name.Local == "svg"
		at := map[string]string{}
		for _, a := range e.Attr {
			at[a.Name.Local] = a.Value
		}
		var paths []geom.Path
		switch e.Name.Local {
		case "g", "path", "polygon", "rect":
			if strings.TrimSpace(at["transform"]) != "" {
				return nil, fmt.Errorf("a %s has a transform; apply it before saving", e.Name.Local)
			}
		}
		switch e.Name.Local {
		case "path":
			paths, err = parsePath(at["d"])
		case "polygon":
			paths, err = parsePath("M" + at["points"] + "Z")
		case "rect":
			var v [4]float64
			for i, k := range []string{"x", "y", "width", "height"} {
				if at[k] != "" {
					v[i], err = strconv.ParseFloat(at[k], 64)
				}
				if err != nil {
					return nil, fmt.Errorf("a rect's %s %q is no number", k, at[k])
				}
			}
			paths = []geom.Path{geom.Box(geom.Rect{Min: geom.Pt(v[0], v[1]), Max: geom.Pt(v[0]+v[2], v[1]+v[3])})}
		}
		if err != nil {
			return nil, err
		}
		out = append(out, paths...)
	}
	if !seen || len(out) == 0 {
		return nil, errors.New("the file has no closed path, polygon or rect")
	}
	for _, p := range out {
		if len(p) < 3 || len(p) > most {
			return nil, fmt.Errorf("a shape has %d knots; an outline has 3 to %d", len(p), most)
		}
		for _, k := range p {
			for _, v := range []float64{k.P.X, k.P.Y, k.In.X, k.In.Y, k.Out.X, k.Out.Y} {
				if !(math.Abs(v) <= 1e6) {
					return nil, errors.New("a shape lies too far out")
				}
			}
		}
	}
	return out, nil
}

// parsePath reads SVG path data (SVG 1.1, section 8.3) but for elliptical arcs.
//
// Long: the grammar of path data, a case for each command.
func parsePath(d string) ([]geom.Path, error) {
	s := &scanner{d: d}
	var out []geom.Path
	var p geom.Path
	var at, start, pull geom.Point // pull: where the last curve's handle would go on
	var cmd byte
	end := func() {
		// A last knot on the first is the same.
		if n := len(p); n > 1 && p[n-1].P.Sub(p[0].P).Len() < 1e-3 {
			p[0].In = p[n-1].In
			p = p[:n-1]
		}
		if len(p) > 0 {
			out = append(out, p)
		}
		p = nil
	}
	for n := 0; ; n++ {
		if n > 20*most {
			return nil, errors.New("a path has too many segments")
		}
		if c, ok := s.command(); ok {
			cmd = c
		} else if s.done() {
			break
		} else if cmd == 0 || cmd == 'Z' || cmd == 'z' {
			return nil, fmt.Errorf("path data: a command is missing before %q", s.rest())
		}
		rel := cmd >= 'a'
		point := func() geom.Point {
			q := geom.Pt(s.number(), s.number())
			if rel {
				q = q.Add(at)
			}
			return q
		}
		line := func(q geom.Point) {
			p = append(p, geom.Knot{P: q})
			at, pull = q, q
		}
		curve := func(a, b, q geom.Point) {
			if len(p) == 0 {
				p = append(p, geom.Knot{P: at})
			}
			p[len(p)-1].Out = a.Sub(at)
			p = append(p, geom.Knot{P: q, In: b.Sub(q)})
			at, pull = q, q.Add(q.Sub(b))
		}
		switch cmd | 0x20 {
		case 'm':
			q := point()
			end()
			line(q)
			start = q
			cmd = 'L' | cmd&0x20 // further pairs are lines
		case 'l':
			line(point())
		case 'h':
			x := s.number()
			if rel {
				x += at.X
			}
			line(geom.Pt(x, at.Y))
		case 'v':
			y := s.number()
			if rel {
				y += at.Y
			}
			line(geom.Pt(at.X, y))
		case 'c':
			a, b, q := point(), point(), point()
			curve(a, b, q)
		case 's':
			b, q := point(), point()
			curve(pull, b, q)
		case 'q':
			c, q := point(), point()
			from := at
			curve(from.Lerp(c, 2./3), q.Lerp(c, 2./3), q)
		case 'z':
			end()
			at, pull = start, start
		default:
			return nil, fmt.Errorf("path data: the command %q is not read; use lines and curves", string(cmd))
		}
		if s.err != nil {
			return nil, s.err
		}
	}
	end()
	return out, nil
}

// scanner takes path data apart.
type scanner struct {
	d   string
	i   int
	err error
}

func (s *scanner) space() {
	for s.i < len(s.d) && strings.IndexByte(" \t\r\n,", s.d[s.i]) >= 0 {
		s.i++
	}
}

func (s *scanner) done() bool { s.space(); return s.i == len(s.d) }

func (s *scanner) rest() string { return s.d[s.i:min(s.i+12, len(s.d))] }

func (s *scanner) command() (byte, bool) {
	s.space()
	if s.i < len(s.d) {
		if c := s.d[s.i]; (c|0x20) >= 'a' && (c|0x20) <= 'z' && c|0x20 != 'e' {
			s.i++
			return c, true
		}
	}
	return 0, false
}

func (s *scanner) number() float64 {
	s.space()
	j, dot, exp := s.i, false, false
	for j < len(s.d) {
		c := s.d[j]
		switch {
		case c >= '0' && c <= '9':
		case (c == '+' || c == '-') && (j == s.i || s.d[j-1]|0x20 == 'e'):
		case c == '.' && !dot && !exp:
			dot = true
		case c|0x20 == 'e' && !exp && j > s.i:
			exp = true
		default:
			goto out
		}
		j++
	}
out:
	v, err := strconv.ParseFloat(s.d[s.i:j], 64)
	if err != nil && s.err == nil {
		s.err = fmt.Errorf("path data: a number is missing at %q", s.rest())
	}
	s.i = j
	return v
}
