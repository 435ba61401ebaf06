package server

import (
	"bytes"
	"context"
	crand "crypto/rand"
	"crypto/sha256"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"net/http"
	"os"
	"slices"
	"strconv"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"

	"celator/core/cover"
	"celator/core/sound"
	"celator/internal/budget"
	"celator/internal/media"
)

const noSound = "The sound of this track is not made yet, or cannot be decoded."

// aside is how much of the sound to both sides of what is asked for decides how a voice sounds, s.
const aside = 2.

// secret is what the voices of previews are drawn from, by passage: the parts of one speak alike.
// It is not what deliveries are drawn from, which is kept nowhere.
var secret = func() (secret [32]byte) { crand.Read(secret[:]); return secret }()

func previewed(passage string) rand.Source {
	return rand.NewChaCha8(sha256.Sum256(append(secret[:], passage...)))
}

// soundOut is a wave file.
type soundOut struct {
	ContentType  string `header:"Content-Type"`
	CacheControl string `header:"Cache-Control"`
	Body         []byte
}

func (s *server) sound(ctx context.Context, in *struct {
	ByID
	Revision int     `path:"revision" minimum:"0"`
	Tracks   []int   `query:"tracks" doc:"of the source's sound, counted from 0; the first where it is missing" maxItems:"64"`
	From     float64 `query:"from" minimum:"0" doc:"seconds from the shot's first frame"`
	Seconds  float64 `query:"seconds" minimum:"0.01" maximum:"10" default:"4"`
	Source   bool    `query:"source" doc:"as the source has it, without what the passages of the revision do"`
},
) (*soundOut, error) {
	r, err := s.reading(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	doc, err := s.revision(ctx, in.ID, in.Revision)
	if err != nil {
		return nil, err
	}
	all := r.clip.Info.Sound
	if len(in.Tracks) == 0 {
		in.Tracks = []int{0}
	}
	for _, k := range in.Tracks {
		if k < 0 || k >= len(all) {
			return nil, huma.Error404NotFound(fmt.Sprintf("The source has %d sound tracks.", len(all)))
		}
	}
	slices.Sort(in.Tracks)
	in.Tracks = slices.Compact(in.Tracks)
	rate, channels := all[in.Tracks[0]].Rate, 0
	for _, k := range in.Tracks {
		channels = max(channels, all[k].Channels)
	}
	// What is read and what is made of it, in 64 bits.
	free, err := s.Budget.Pictures.Hold(ctx, budget.Soon, int64(3*8*float64(rate*channels)*(in.Seconds+2*aside)))
	if err != nil {
		return nil, err
	}
	defer free()
	turn, err := s.Budget.Processor.Hold(ctx, budget.Soon, 1)
	if err != nil {
		return nil, err
	}
	defer turn()
	n := int(math.Round(in.Seconds * float64(rate)))
	left, right := make([]float64, n), make([]float64, n)
	for _, k := range in.Tracks {
		if all[k].Rate != rate {
			return nil, huma.Error422UnprocessableEntity("Tracks of different sample rates are heard one by one.")
		}
		passages := doc.Passages
		if in.Source {
			passages = nil
		}
		part, err := s.heard(r, passages, k, in.From, n)
		if errors.Is(err, os.ErrNotExist) {
			return nil, huma.Error404NotFound(noSound)
		} else if err != nil {
			return nil, problem(err)
		}
		mix(part, all[k], left, right)
	}
	var b bytes.Buffer
	err = media.WriteWave(&b, rate, left, right)
	return &soundOut{"audio/wav", "private, max-age=3600", b.Bytes()}, err
}

// heard is a track's samples from a time of the shot on, as they will be delivered.
func (s *server) heard(r readable, passages []cover.Passage, track int, from float64, n int) ([]float64, error) {
	t, fps := r.clip.Info.Sound[track], r.clip.Info.Rate.Float()
	first := int(math.Round((float64(r.shot.First)/fps + from) * float64(t.Rate)))
	around := int(aside * float64(t.Rate))
	in, err := media.Heard(s.Library.Dir(r.src.ID), track, t, first-around, first+n+around)
	if err != nil {
		return nil, err
	}
	begins := (float64(first-around)/float64(t.Rate))*fps - float64(r.shot.First)
	var out []float64
	give := func(part []float64) error { out = append(out, part...); return nil }
	treater := sound.New(passages, track, t.Channels, t.Rate, fps, begins, previewed)
	if err := treater.Write(in, give); err != nil {
		return nil, err
	}
	if err := treater.Close(give); err != nil {
		return nil, err
	}
	return out[around*t.Channels : (around+n)*t.Channels], nil
}

// mix adds a track to two loudspeakers: what has no side goes to both, and the channels of a
// surround track to theirs, what lies behind and in the middle 3 dB less (ITU-R BS.775).
func mix(in []float64, s media.Sound, left, right []float64) {
	const less = math.Sqrt2 / 2
	gains := make([][2]float64, s.Channels)
	for c := range gains {
		gains[c] = [2]float64{1, 1}
		if s.Channels > 2 {
			gains[c] = [2]float64{1 / math.Sqrt(float64(s.Channels)), 1 / math.Sqrt(float64(s.Channels))}
		}
	}
	switch {
	case s.Channels == 2:
		gains[0], gains[1] = [2]float64{1, 0}, [2]float64{0, 1}
	case s.Channels == 6 && strings.HasPrefix(s.Layout, "5.1"):
		gains = [][2]float64{{1, 0}, {0, 1}, {less, less}, {0, 0}, {less, 0}, {0, less}}
	}
	for i, v := range in {
		g := gains[i%s.Channels]
		left[i/s.Channels] += g[0] * v
		right[i/s.Channels] += g[1] * v
	}
}

// peaks serves the peaks of a sound track, which never change once they are there.
func (s *server) peaks(w http.ResponseWriter, r *http.Request) {
	track, err := strconv.Atoi(chi.URLParam(r, "track"))
	if err != nil || track < 0 {
		refuse(w, http.StatusNotFound, "There is no such sound track.")
		return
	}
	made(w, r, media.Peaks(s.Library.Dir(chi.URLParam(r, "id")), track), "application/octet-stream", noSound)
}
