package jobs

import (
	"context"
	"errors"
	"time"

	"github.com/riverqueue/river"

	"celator/internal/budget"
	"celator/internal/draft"
	"celator/internal/store"
)

const (
	// draftEvery is how often it is seen whether drafts have come further.
	draftEvery = 2 * time.Second
	// mostDrafts are under way at once: where it is stopped, little was begun.
	mostDrafts = 2
)

// draft makes drafts of what the list asks for, one after the other in its order: a cover, which is followed, and what
// passes in front of it, proposed. It goes on while the programme is still looked through.
func (r *Runner) draft(ctx context.Context, job *river.Job[store.DraftArgs]) error {
	id := job.Args.Programme
	return attend(r, ctx, job, task{
		store.ADraftRun, id, draftMemory, budget.Soon,
		func(ctx context.Context, beat func(int)) error {
			run, err := r.store.DraftRun(ctx, id)
			if err != nil {
				return err
			}
			wanted := run.State == store.Queued || run.State == store.Running
			under, err := r.store.DraftsOf(ctx, id)
			if err != nil {
				return err
			}
			going := 0
			for _, d := range under {
				still, err := r.further(ctx, d)
				if err != nil {
					return err
				}
				if still {
					going++
				}
			}
			if !wanted {
				if going > 0 {
					return river.JobSnooze(draftEvery)
				}
				return nil
			}
			if err := r.store.SetDrafts(ctx, id, store.Running, ""); err != nil {
				return err
			}
			more, err := r.nextDraft(ctx, run, going)
			if err != nil {
				return err
			}
			if going == 0 && !more {
				return r.store.SetDrafts(ctx, id, store.Done, "")
			}
			return river.JobSnooze(draftEvery)
		}, func(ctx context.Context, why string) error { return r.store.SetDrafts(ctx, id, store.Failed, why) },
	})
}

// nextDraft begins the next draft where there is room for one. more says that there may be others.
func (r *Runner) nextDraft(ctx context.Context, run store.DraftRun, going int) (more bool, err error) {
	if going >= mostDrafts {
		return true, nil
	}
	offers, err := draft.Read(ctx, r.store, run.Programme)
	if err != nil {
		return false, err
	}
	refused, err := r.store.RefusedDrafts(ctx, run.Programme)
	if err != nil {
		return false, err
	}
	o, item, ok := offers.Next(run.Items.V, refused)
	if !ok {
		return r.store.Looking(ctx, run.Programme)
	}
	d := store.Draft{Proposal: o.ID, Programme: run.Programme, Stage: store.DraftMaking}
	if err := r.store.SetDraft(ctx, d); err != nil {
		return false, err
	}
	styles, err := r.store.Styles(ctx, run.Programme)
	if err != nil {
		return false, err
	}
	made, err := draft.Maker{Store: r.store, Styles: styles, Author: run.By, Later: true}.Cover(ctx, o.Proposal, item)
	switch {
	case err != nil && (ctx.Err() != nil || passes(err)):
		return false, err
	case err != nil: // the others can be made
		d.Stage, d.Note = store.DraftDone, sentence(err)
	default:
		d.Stage, d.Attempt, d.Shot, d.Cover = store.DraftFollowing, made.Attempt, made.Shot, made.Cover
	}
	return true, r.store.SetDraft(ctx, d)
}

// further takes a draft to its next stage where the one that it is in has ended. One whose maker was killed is done
// with here; until all of it is made its proposal stays open, and is the next again.
func (r *Runner) further(ctx context.Context, d store.Draft) (still bool, err error) {
	var a store.Attempt
	if d.Attempt != "" {
		a, err = r.store.Attempt(ctx, d.Attempt)
		if err == nil && !a.Ended() {
			return true, nil
		}
		if err != nil && !errors.Is(err, store.ErrNone) {
			return false, err
		}
	}
	if a.State == store.Failed {
		d.Note = a.Note
	}
	if d.Stage != store.DraftFollowing || a.State != store.Done {
		d.Stage = store.DraftDone
		return false, r.store.SetDraft(ctx, d)
	}
	d.Stage, d.Attempt = store.DraftFront, a.Spec.V.Then
	return true, r.store.SetDraft(ctx, d)
}
