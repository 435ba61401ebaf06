package certificate

import (
	"bytes"
	"os"
	"path/filepath"
	"reflect"
	"testing"
	"time"
)

// A certificate states what was signed; with any byte changed, or another key, it states nothing, or the same.
func TestCertificate(t *testing.T) {
	dir := t.TempDir()
	key, err := Key(dir)
	if err != nil {
		t.Fatal(err)
	}
	if again, err := Key(dir); err != nil || !again.Equal(key) {
		t.Fatalf("another key, %v", err)
	}
	if st, err := os.Stat(filepath.Join(dir, keyFile)); err != nil || st.Mode().Perm() != 0o600 {
		t.Errorf("the key's file: %v, %v", st.Mode(), err)
	}
	want := Statement{
		Kind: Kind, Made: time.Date(2026, 11, 28, 15, 0, 0, 0, time.UTC), Programme: "Tidewrack Week",
		Source: Source{"master.mov", 50, "aa"}, File: File{Name: "out.mov", SHA256: "bb", Proof: []byte(`{"copied":3}`)},
		Shots: []Shot{{Name: "quay", Items: []Item{}, Findings: []Found{}}},
	}
	signed, err := Sign(key, want)
	if err != nil {
		t.Fatal(err)
	}
	pub, err := Public(key)
	if err != nil {
		t.Fatal(err)
	}
	ours, err := ReadPublic(pub)
	if err != nil {
		t.Fatal(err)
	}
	for _, known := range []bool{true, false} {
		k := ours
		if !known {
			k = nil
		}
		if got, by, err := Open(signed, k); err != nil || !by.Equal(ours) || !reflect.DeepEqual(got, want) {
			t.Errorf("%+v, %v", got, err)
		}
		for i := range signed {
			b := bytes.Clone(signed)
			b[i] ^= 1
			if got, _, err := Open(b, k); err == nil && !reflect.DeepEqual(got, want) {
				t.Fatalf("byte %d changed, and it states %+v", i, got)
			}
		}
	}
	other, err := Key(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	forged, err := Sign(other, want)
	if err != nil {
		t.Fatal(err)
	}
	if _, _, err := Open(forged, ours); err == nil {
		t.Error("signed by somebody else, and believed")
	}
}

func FuzzOpen(f *testing.F) {
	f.Add([]byte(`{"payload":"e30","protected":"eyJhbGciOiJFZERTQSJ9","signature":"AA"}`))
	f.Fuzz(func(t *testing.T, b []byte) {
		if s, _, err := Open(b, nil); err == nil && s.Kind != Kind {
			t.Errorf("%+v", s)
		}
	})
}
