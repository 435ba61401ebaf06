package jobs

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"os"
	"time"

	"celator/internal/certificate"
	"celator/internal/deliver"
	"celator/internal/store"
)

// certify writes the certificate of a master beside it.
func (r *Runner) certify(ctx context.Context, d store.Delivery, j deliver.Job, proof deliver.Proof, size int64,
	sha string,
) error {
	src, err := r.store.Source(ctx, d.Source)
	if err != nil {
		return err
	}
	programme, err := r.store.Programme(ctx, src.Programme)
	if err != nil {
		return err
	}
	found, err := json.Marshal(proof)
	if err != nil {
		return err
	}
	s := certificate.Statement{
		Made: time.Now().UTC(), Programme: programme.Name,
		Source: certificate.Source{Name: src.Name, Frames: src.Frames, Digest: src.Digest},
		File: certificate.File{
			Name: d.Name, Size: size, SHA256: sha, Preset: d.Preset, First: d.First, Frames: d.Frames, Proof: found,
		},
		Shots: []certificate.Shot{},
	}
	for i, c := range d.Contents.V {
		doc, err := json.Marshal(j.Parts[i].Document)
		if err != nil {
			return err
		}
		sum := sha256.Sum256(doc)
		shot := certificate.Shot{
			Name: c.Name, First: c.First, Last: c.Last, Revision: c.Revision, Document: hex.EncodeToString(sum[:]),
			Items: []certificate.Item{}, Findings: append([]certificate.Found{}, c.Findings...),
		}
		for _, it := range c.Items {
			shot.Items = append(shot.Items, certificate.Item{
				Name: it.Name, State: it.State, Decisions: append([]certificate.Decided{}, it.Decisions...),
			})
		}
		s.Shots = append(s.Shots, shot)
	}
	key, err := certificate.Key(r.lib.Store)
	if err != nil {
		return err
	}
	signed, err := certificate.Sign(key, s)
	if err != nil {
		return err
	}
	return os.WriteFile(r.lib.CertificateFile(d.ID, d.Name), signed, 0o600)
}
