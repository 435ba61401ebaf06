package jobs

import (
	"context"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"os"
	"time"

	"github.com/riverqueue/river"

	"celator/internal/budget"
	"celator/internal/media"
	"celator/internal/storage"
	"celator/internal/store"
)

// AddSource probes a file and brings it in. One that is damaged is entered as failed, so that it
// can be taken as it is.
func AddSource(ctx context.Context, st *store.Store, lib storage.Library, src store.Source) (store.Source,
	store.Shot, error,
) {
	path, err := lib.SourcePath(src)
	if err != nil {
		return src, store.Shot{}, err
	}
	info, err := media.Probe(ctx, path)
	src.State = store.Queued
	if errors.Is(err, media.ErrDamaged) {
		src.State, src.Error, src.Damage = store.Failed, sentence(err), store.DamageFound
	} else if err != nil {
		return src, store.Shot{}, err
	}
	src.Info.V, src.Frames = info, info.Frames
	if src.Created.IsZero() {
		src.Created = time.Now()
	}
	shot, err := st.AddSource(ctx, src)
	return src, shot, err
}

func (r *Runner) ingest(ctx context.Context, job *river.Job[store.IngestArgs]) error {
	return attend(r, ctx, job, r.bringing(job.Args.Source,
		func(ctx context.Context, src store.Source, beat func(int)) error {
			if src.State == store.Ready {
				return nil
			}
			return r.bringIn(ctx, src, beat)
		}))
}

// bringing is the task of doing something for a source that is brought in. Where it fails for good, what was made of
// the source is taken away.
func (r *Runner) bringing(id string, do func(context.Context, store.Source, func(int)) error) task {
	damaged := false
	return task{store.ASource, id, ingestMemory, budget.Soon, func(ctx context.Context, beat func(int)) error {
		src, err := r.store.Source(ctx, id)
		if err == nil {
			err = do(ctx, src, beat)
		}
		damaged = errors.Is(err, media.ErrDamaged)
		return err
	}, func(ctx context.Context, why string) error {
		if err := r.lib.Clear(id); err != nil {
			r.log.Warn("what was made of a source cannot be taken away", "source", id, "error", err)
		}
		return r.store.FailSource(ctx, id, why, damaged)
	}}
}

// bringIn makes what the bench needs of a source. Its file is only read.
func (r *Runner) bringIn(ctx context.Context, src store.Source, beat func(int)) error {
	path, err := r.lib.SourcePath(src)
	if err != nil {
		return err
	}
	if src.Damage == store.DamageFound {
		if src.Info.V, err = media.Probe(ctx, path); err != nil {
			return err
		}
	}
	clip := media.Clip{Path: path, Info: src.Info.V}
	if err := r.lib.Room(media.ViewsSize(clip.Info)); err != nil {
		return err
	}
	if err := os.MkdirAll(r.lib.Dir(src.ID), 0o700); err != nil {
		return err
	}
	if len(clip.Info.Pieces()) > 0 && src.Damage != store.DamageTaken {
		if whole, err := r.inPieces(ctx, src, clip, path, beat); whole || err != nil {
			return err
		}
	}
	begun := time.Now()
	tell := every(func(done int) {
		if err := r.store.SetSource(ctx, src.ID, store.Viewing, done); err != nil {
			r.log.Debug("progress cannot be written", "error", err)
		}
	})
	see := func(clip media.Clip) (media.Seen, error) {
		return media.MakeViews(ctx, clip, r.lib.Dir(src.ID), func(done int) { beat(done); tell(done) })
	}
	var seen media.Seen
	taken := src.Damage == store.DamageTaken
	if !taken && clip.Info.Unproved() { // a copy is only made where it must be
		if seen, err = see(clip); err != nil {
			return err
		}
		if clip, err = clip.Proved(ctx, seen); err != nil {
			return err
		}
		src.Info.V.Indexed = clip.Info.Indexed
	}
	if taken || clip.Info.Conformed() {
		if err := media.RemoveViews(r.lib.Dir(src.ID)); err != nil {
			return err
		}
		seen = media.Seen{}
		if clip, err = r.copied(ctx, &src, clip, beat); err != nil {
			return err
		}
	}
	if seen.Sums == nil {
		if seen, err = see(clip); err != nil {
			return err
		}
	}
	r.log.Debug("source seen", "source", src.Name, "seconds", time.Since(begun).Seconds())
	return r.seen(ctx, src, clip, path, seen, beat)
}

// seen enters a source of which all pictures were seen, after its sound was heard.
func (r *Runner) seen(ctx context.Context, src store.Source, clip media.Clip, path string, seen media.Seen,
	beat func(int),
) error {
	begun := time.Now()
	heard := 0
	if err := media.MakeSounds(ctx, clip, path, r.lib.Dir(src.ID), func() { heard++; beat(heard) }); err != nil {
		return err
	}
	h := sha256.New()
	for _, s := range seen.Sums {
		binary.Write(h, binary.LittleEndian, s)
	}
	r.log.Info("source ready", "source", src.Name, "frames", len(seen.Sums), "seconds", time.Since(begun).Seconds())
	src.Info.V.Cadence = seen.Cadence
	src.Frames, src.Digest = len(seen.Sums), hex.EncodeToString(h.Sum(nil))
	if err := r.store.FinishSource(ctx, src); err != nil {
		return err
	}
	return media.RemovePieces(r.lib.Dir(src.ID))
}

// inPieces goes on with a long source that is brought in in pieces: it puts those into the queue, and ends with
// joining them. It reports whether that is done, or going on; else the source is brought in in one piece.
func (r *Runner) inPieces(ctx context.Context, src store.Source, clip media.Clip, path string, beat func(int)) (bool,
	error,
) {
	plan := clip.Info.Pieces()
	there, err := r.store.Pieces(ctx, src.ID)
	if err != nil {
		return true, err
	}
	if len(there) == 1 && len(plan) > 1 {
		return false, nil
	}
	for _, p := range there {
		if !p.Finished {
			there = nil
		}
	}
	if len(there) == 0 {
		return true, r.store.QueuePieces(ctx, src.ID, plan)
	}
	seen, err := clip.JoinPieces(ctx, r.lib.Dir(src.ID))
	if err == nil && clip.Info.Unproved() {
		clip, err = clip.Proved(ctx, seen)
		src.Info.V.Indexed = clip.Info.Indexed
		if err == nil && !clip.Info.Indexed {
			err = media.ErrLanding
		}
	}
	switch {
	case errors.Is(err, media.ErrLanding):
		return true, r.whole(ctx, src, err)
	case err != nil:
		return true, err
	}
	return true, r.seen(ctx, src, clip, path, seen, beat)
}

// piece brings in a piece of a long source.
func (r *Runner) piece(ctx context.Context, job *river.Job[store.PieceArgs]) error {
	return attend(r, ctx, job, r.bringing(job.Args.Source,
		func(ctx context.Context, src store.Source, beat func(int)) error {
			all, err := r.store.Pieces(ctx, src.ID)
			n := job.Args.Number
			if err != nil || src.State != store.Viewing || n >= len(all) || all[n].Finished {
				return err
			}
			path, err := r.lib.SourcePath(src)
			if err != nil {
				return err
			}
			tell := every(func(done int) {
				if err := r.store.SetPiece(ctx, all[n], done); err != nil {
					r.log.Debug("progress cannot be written", "error", err)
				}
			})
			clip := media.Clip{Path: path, Info: src.Info.V}
			err = clip.MakePiece(ctx, r.lib.Dir(src.ID), n, func(done int) { beat(done); tell(done) })
			if errors.Is(err, media.ErrLanding) {
				return r.whole(ctx, src, err)
			}
			if err != nil {
				return err
			}
			return r.store.FinishPiece(ctx, all[n])
		}))
}

// whole gives up bringing a source in in pieces.
func (r *Runner) whole(ctx context.Context, src store.Source, why error) error {
	r.log.Info("brought in in one piece", "source", src.Name, "why", why)
	return r.store.InOnePiece(ctx, src.ID, src.Frames)
}

// copied makes the lossless copy of a source in which every frame can be reached: at a constant rate, or with all that
// can be read of a damaged one. It enters what was learned of the source meanwhile.
func (r *Runner) copied(ctx context.Context, src *store.Source, clip media.Clip, beat func(int)) (media.Clip, error) {
	if err := r.lib.Room(media.ConformedSize(clip.Info) + media.ViewsSize(clip.Info)); err != nil {
		return clip, err
	}
	if err := r.store.SetSource(ctx, src.ID, store.Conforming, 0); err != nil {
		return clip, err
	}
	to := r.lib.Conformed(src.ID)
	var err error
	if src.Damage == store.DamageTaken {
		clip, err = media.Salvage(ctx, clip.Path, to, beat)
		src.Info.V.Rate, src.Info.V.Variable, src.Info.V.Damage = clip.Info.Rate, clip.Info.Variable, clip.Info.Damage
	} else {
		clip, err = media.Conform(ctx, clip, to, beat)
	}
	src.ReadInfo.V = &clip.Info
	return clip, err
}
