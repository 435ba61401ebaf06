package cover

import (
	"bytes"
	"encoding/json"
	"fmt"

	"celator/core/geom"
)

// Value is a number that is constant over the span or keyed. In JSON it is a
// plain number, or {"keys": […]}.
type Value struct {
	Constant float64
	Keys     []ValueKey
}

// ValueKey fixes a value at a frame.
type ValueKey struct {
	Frame Time    `json:"frame"`
	Value float64 `json:"value"`
	Ease  Ease    `json:"ease,omitempty"`
}

// Const returns a constant value.
func Const(v float64) Value { return Value{Constant: v} }

// At returns the value at frame f.
func (v Value) At(f Time) float64 {
	if len(v.Keys) == 0 {
		return v.Constant
	}
	a, b, t := bracket(len(v.Keys), f, func(i int) Time { return v.Keys[i].Frame })
	p, q := v.Keys[a].Value, v.Keys[b].Value
	if t == 0 {
		return p
	}
	return p + v.Keys[a].Ease.blend(t)*(q-p)
}

// IsZero lets encoding/json leave out a value that is constantly 0.
func (v Value) IsZero() bool { return v.Constant == 0 && len(v.Keys) == 0 }

type keyed struct {
	Keys []ValueKey `json:"keys"`
}

func (v Value) MarshalJSON() ([]byte, error) {
	if len(v.Keys) == 0 {
		return json.Marshal(v.Constant)
	}
	return json.Marshal(keyed{v.Keys})
}

func (v *Value) UnmarshalJSON(b []byte) error {
	*v = Value{}
	b = bytes.TrimSpace(b)
	if len(b) == 0 || b[0] != '{' {
		if string(b) == "null" {
			return fmt.Errorf("a value is a number or keys, not null")
		}
		return json.Unmarshal(b, &v.Constant)
	}
	var k keyed
	dec := json.NewDecoder(bytes.NewReader(b))
	dec.DisallowUnknownFields()
	if err := dec.Decode(&k); err != nil {
		return err
	}
	if len(k.Keys) == 0 {
		return fmt.Errorf("a keyed value needs at least one key")
	}
	v.Keys = k.Keys
	return nil
}

// Pair is a value across and a value down.
type Pair struct {
	Across Value `json:"across"`
	Down   Value `json:"down"`
}

// ConstPair returns a constant pair.
func ConstPair(across, down float64) Pair { return Pair{Const(across), Const(down)} }

// At returns both at frame f.
func (p Pair) At(f Time) geom.Point { return geom.Pt(p.Across.At(f), p.Down.At(f)) }

// IsZero lets encoding/json leave out a pair that is constantly 0.
func (p Pair) IsZero() bool { return p.Across.IsZero() && p.Down.IsZero() }
