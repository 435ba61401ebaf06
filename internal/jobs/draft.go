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
				still, err := r.further(ctx, run, d)
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
	return true, r.makeDraft(ctx, run, d, o.Proposal, item)
}

// makeDraft makes the cover of a draft. Where that cannot be, it says why, and others can be made.
func (r *Runner) makeDraft(ctx context.Context, run store.DraftRun, d store.Draft, p store.Proposal, item store.Item,
) error {
	styles, err := r.store.Styles(ctx, run.Programme)
	if err != nil {
		return err
	}
	made, err := draft.Maker{Store: r.store, Styles: styles, Author: run.By, Later: true}.Cover(ctx, p, item)
	switch {
	case err != nil && (ctx.Err() != nil || passes(err)):
		return err
	case err != nil:
		d.Stage, d.Note = store.DraftDone, sentence(err)
	default:
		d.Stage, d.Attempt, d.Shot, d.Cover = store.DraftFollowing, made.Attempt, made.Shot, made.Cover
	}
	return r.store.SetDraft(ctx, d)
}

// remade goes on with a draft that was being made by somebody who was killed.
func (r *Runner) remade(ctx context.Context, run store.DraftRun, d store.Draft) (still bool, err error) {
	offers, err := draft.Read(ctx, r.store, run.Programme)
	if err != nil {
		return false, err
	}
	o, item, ok := offers.Asking(d.Proposal)
	switch {
	case ok && o.State != store.AcceptedProposal:
		return true, r.makeDraft(ctx, run, d, o.Proposal, item)
	case ok && o.Shot != nil && o.Cover == o.ID: // all of it was made
		head, err := r.store.Head(ctx, *o.Shot)
		if err != nil {
			return false, err
		}
		if c := head.Document.Find(o.Cover); c != nil {
			id, err := r.store.FirstAttempt(ctx, *o.Shot, c.Track)
			if err != nil && !errors.Is(err, store.ErrNone) {
				return false, err
			}
			d.Stage, d.Attempt, d.Shot, d.Cover = store.DraftFollowing, id, *o.Shot, o.Cover
			return true, r.store.SetDraft(ctx, d)
		}
	}
	d.Stage = store.DraftDone
	return false, r.store.SetDraft(ctx, d)
}

// further takes a draft to its next stage where the one that it is in has ended.
func (r *Runner) further(ctx context.Context, run store.DraftRun, d store.Draft) (still bool, err error) {
	if d.Stage == store.DraftMaking {
		return r.remade(ctx, run, d)
	}
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
