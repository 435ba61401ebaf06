// Package certificate says in signed JSON what a delivered master is, and checks offline whether a file is that.
//
// A certificate is a JSON Web Signature (RFC 7515) in its flattened JSON form, signed with Ed25519 (RFC 8037); its
// payload is a Statement as JSON, and its header carries the public key.
package certificate

import (
	"crypto/ed25519"
	"crypto/rand"
	"crypto/x509"
	"encoding/json"
	"encoding/pem"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"github.com/go-jose/go-jose/v4"
)

// Kind names what a statement is, and its form.
const Kind = "celator-certificate/1"

// Statement is what is certified.
type Statement struct {
	Kind      string    `json:"kind"`
	Made      time.Time `json:"made"`
	Programme string    `json:"programme"`
	Source    Source    `json:"source"`
	File      File      `json:"file"`
	Shots     []Shot    `json:"shots"`
}

// Source is what came in.
type Source struct {
	Name   string `json:"name"`
	Frames int    `json:"frames"`
	Digest string `json:"digest"` // SHA-256 over the checksums of all its frames, as docs/formats.md has it
}

// File is what went out.
type File struct {
	Name   string          `json:"name"`
	Size   int64           `json:"size"`
	SHA256 string          `json:"sha256"`
	Preset string          `json:"preset"`
	First  int             `json:"first"` // of the source's frames
	Frames int             `json:"frames"`
	Proof  json.RawMessage `json:"proof"` // what reading it again found
}

// Shot is a shot in it, with its document, as it was.
type Shot struct {
	Name     string  `json:"name"`
	First    int     `json:"first"` // frames of the source, both included
	Last     int     `json:"last"`
	Revision int     `json:"revision"`
	Document string  `json:"document"` // SHA-256 of the document's JSON
	Items    []Item  `json:"items"`
	Findings []Found `json:"findings"`
}

// Item is a thing that must be hidden, its state, and who decided.
type Item struct {
	Name      string    `json:"name"`
	State     string    `json:"state"`
	Decisions []Decided `json:"decisions"`
}

// Decided is a change of an item's state.
type Decided struct {
	State string    `json:"state"`
	By    string    `json:"by"`
	At    time.Time `json:"at"`
	Note  string    `json:"note,omitempty"`
}

// Found is what the check found, and what became of it; a waiver has a reason and a name.
type Found struct {
	Says     string `json:"says"`
	Severity string `json:"severity"`
	State    string `json:"state"`
	Reason   string `json:"reason,omitempty"`
	By       string `json:"by,omitempty"`
}

// keyFile is the private key in the server's data folder.
const keyFile = "signing-key.pem"

// Key returns the key of a data folder, which it makes where there is none. Processes that begin at once agree on
// one.
func Key(folder string) (ed25519.PrivateKey, error) {
	path := filepath.Join(folder, keyFile)
	if key, err := readKey(path); !errors.Is(err, os.ErrNotExist) {
		return key, err
	}
	_, key, err := ed25519.GenerateKey(rand.Reader)
	if err != nil {
		return nil, err
	}
	der, err := x509.MarshalPKCS8PrivateKey(key)
	if err != nil {
		return nil, err
	}
	// Whole or not at all, and never over another's.
	part, err := os.CreateTemp(folder, keyFile+".*")
	if err != nil {
		return nil, err
	}
	defer os.Remove(part.Name())
	err = pem.Encode(part, &pem.Block{Type: "PRIVATE KEY", Bytes: der})
	if err = errors.Join(err, part.Sync(), part.Close()); err != nil {
		return nil, err
	}
	if err := os.Link(part.Name(), path); err != nil && !errors.Is(err, os.ErrExist) {
		return nil, err
	}
	return readKey(path)
}

func readKey(path string) (ed25519.PrivateKey, error) {
	b, err := os.ReadFile(path)
	if err != nil {
		return nil, err
	}
	block, _ := pem.Decode(b)
	if block == nil {
		return nil, fmt.Errorf("certificate: %s holds no key", keyFile)
	}
	key, err := x509.ParsePKCS8PrivateKey(block.Bytes)
	if k, ok := key.(ed25519.PrivateKey); err == nil && ok {
		return k, nil
	}
	return nil, fmt.Errorf("certificate: %s holds no Ed25519 key (%v)", keyFile, err)
}

// Public is the public key as PEM.
func Public(key ed25519.PrivateKey) ([]byte, error) {
	der, err := x509.MarshalPKIXPublicKey(key.Public())
	return pem.EncodeToMemory(&pem.Block{Type: "PUBLIC KEY", Bytes: der}), err
}

// ReadPublic reads what Public wrote.
func ReadPublic(b []byte) (ed25519.PublicKey, error) {
	block, _ := pem.Decode(b)
	if block == nil {
		return nil, errors.New("this is no public key in PEM")
	}
	key, err := x509.ParsePKIXPublicKey(block.Bytes)
	if err != nil {
		return nil, fmt.Errorf("this is no public key: %w", err)
	}
	if k, ok := key.(ed25519.PublicKey); ok {
		return k, nil
	}
	return nil, errors.New("this is no Ed25519 key")
}

// Sign makes a certificate of a statement.
func Sign(key ed25519.PrivateKey, s Statement) ([]byte, error) {
	s.Kind = Kind
	payload, err := json.Marshal(s)
	if err != nil {
		return nil, err
	}
	signer, err := jose.NewSigner(jose.SigningKey{Algorithm: jose.EdDSA, Key: key}, &jose.SignerOptions{EmbedJWK: true})
	if err != nil {
		return nil, err
	}
	signed, err := signer.Sign(payload)
	if err != nil {
		return nil, err
	}
	return []byte(signed.FullSerialize()), nil
}

// MaxBytes is how large a certificate may be: thousands of shots with all that was decided.
const MaxBytes = 64 << 20

// Open returns what a certificate states, when it was signed with the key, or, where that is nil, with the one
// that it carries: then nobody but who signed it has changed it, whoever that is.
func Open(b []byte, key ed25519.PublicKey) (s Statement, by ed25519.PublicKey, err error) {
	if len(b) > MaxBytes {
		return s, nil, errors.New("it is too large for a certificate")
	}
	signed, err := jose.ParseSignedJSON(string(b), []jose.SignatureAlgorithm{jose.EdDSA})
	if err != nil || len(signed.Signatures) != 1 {
		return s, nil, errors.New("it is no certificate")
	}
	if by = key; by == nil {
		jwk := signed.Signatures[0].Protected.JSONWebKey
		if jwk == nil {
			return s, nil, errors.New("it does not say by which key it was signed")
		}
		carried, ok := jwk.Key.(ed25519.PublicKey)
		if !ok {
			return s, nil, errors.New("it was not signed with an Ed25519 key")
		}
		by = carried
	}
	payload, err := signed.Verify(by)
	if err != nil && key != nil {
		return s, nil, errors.New("it was signed with another key, or changed since")
	} else if err != nil {
		return s, nil, errors.New("it was changed since it was signed")
	}
	if err := json.Unmarshal(payload, &s); err != nil || s.Kind != Kind {
		return s, nil, errors.New("it states something else than certificates of this program do")
	}
	return s, by, nil
}
