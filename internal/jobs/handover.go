package jobs

import (
	"context"
	"errors"
	"os"

	"github.com/riverqueue/river"

	"celator/internal/budget"
	"celator/internal/fault"
	"celator/internal/handover"
	"celator/internal/media"
	"celator/internal/store"
)

// hand gives a finished delivery to an intake.
func (r *Runner) hand(ctx context.Context, job *river.Job[store.HandArgs]) error {
	id := job.Args.Handover
	return attend(r, ctx, job, task{
		store.AHandover, id, handMemory, budget.Soon, func(ctx context.Context, beat func(int)) error {
			h, err := r.store.Handover(ctx, id)
			if err != nil || h.Ended() {
				return err
			}
			d, err := r.store.Delivery(ctx, h.Delivery)
			if err != nil {
				return err
			}
			// What is not written at once must not be forgotten: an upload can be gone on with.
			upload, wanted, round := h.Upload, true, 0
			var at int64
			tell := every(func(int) {
				if w, err := r.store.SetHandover(ctx, h, at, upload); err == nil {
					wanted = w
				}
			})
			_, err = handover.Send(ctx, h.Address, h.Upload, handover.File{
				Path: r.lib.DeliveryFile(d.ID, d.Name), Name: d.Name, SHA256: d.SHA256,
			}, func(sent int64, to string) bool {
				at = sent
				if to != "" && to != upload {
					upload = to
					w, err := r.store.SetHandover(ctx, h, sent, to)
					wanted = wanted && (w || err != nil)
				}
				round++
				beat(round)
				tell(0)
				return wanted
			})
			switch {
			case errors.Is(err, handover.ErrUnwanted):
				return nil
			case errors.Is(err, os.ErrNotExist) && !fault.IsMachine(err):
				return r.store.EndHandover(ctx, h, store.Failed, sentence(media.ErrGone))
			case errors.Is(err, handover.ErrRefused):
				return r.store.EndHandover(ctx, h, store.TurnedDown, sentence(err))
			case err != nil:
				return err
			}
			r.log.Info("handed over", "delivery", d.Name, "intake", h.Intake)
			return r.store.EndHandover(ctx, h, store.Acknowledged, "")
		}, func(ctx context.Context, why string) error {
			h, err := r.store.Handover(ctx, id)
			if err == nil {
				err = r.store.EndHandover(ctx, h, store.Failed, why)
			}
			if errors.Is(err, store.ErrNone) {
				return nil
			}
			return err
		},
	})
}
