// Package draft makes covers of what was found: drafts, which wait for somebody's yes.
package draft

import (
	"context"
	"errors"
	"fmt"

	"celator/core/cover"
	"celator/core/geom"
	"celator/core/proposal"
	"celator/internal/store"
)

// Maker makes drafts for somebody.
type Maker struct {
	Store  *store.Store
	Styles []store.Style // of the programme
	Author string
	Later  bool // nobody waits for what is followed
}

// Made is a cover that was made of a proposal.
type Made struct {
	Shot, Cover string
	Attempt     string // that follows it; empty where there is nothing to follow
}

// Cover makes a proposal a cover of an item in the shot that shows it, and has it followed. Other proposals of what
// that cover hides are of it too. What somebody who was killed began of it is gone on with: that it is accepted is
// entered last. ErrNone says that no shot shows it any more.
func (m Maker) Cover(ctx context.Context, p store.Proposal, item store.Item) (out Made, err error) {
	sh, err := m.Store.ShotAt(ctx, p.Source, p.Frame)
	if err != nil {
		return out, err
	}
	k := proposal.Making{
		Cover: p.ID, Track: store.NewID(), Item: item.ID, Name: item.Name, Kind: p.Kind, Outline: p.Best().Outline(),
		At:   p.Frame - sh.First,
		Span: cover.Span{First: max(p.First-sh.First, 0), Last: min(p.Last-sh.First, sh.Frames-1)},
	}
	if k.Take, err = m.take(ctx, sh, p.Frame); err != nil {
		return out, err
	}
	for _, st := range m.Styles {
		for _, kind := range st.Kinds.V {
			if kind == item.Kind {
				k.StyleID, k.Style = st.ID, &st.Style.V
			}
		}
	}
	if p.Mark != nil {
		if err := m.like(ctx, &k, p); err != nil {
			return out, err
		}
	}
	cmds, t := k.Commands()
	var made store.Revision
	for range 20 { // others may change the shot meanwhile
		var head int
		if head, err = m.Store.HeadNumber(ctx, sh.ID); err != nil {
			return out, err
		}
		on := store.On{Base: head, Author: m.Author, Key: accepting(p)}
		made, err = m.Store.Edit(ctx, sh.ID, on, func(d *cover.Document) (*cover.Document, string, error) {
			return d.Apply(cmds...)
		})
		var conflict *store.Conflict
		if !errors.As(err, &conflict) {
			break
		}
	}
	if err != nil {
		return out, err
	}
	// Where the answer to an acceptance was lost, or who made it was killed, its cover is of then.
	if c := made.Document.Find(k.Cover); c != nil {
		item.ID = c.Item
		if then := made.Document.Track(c.Track); then != nil {
			t = *then
		}
	}
	out = Made{Shot: sh.ID, Cover: k.Cover}
	if out.Attempt, err = m.follow(ctx, sh, k, t); err != nil {
		return out, err
	}
	if err = m.Store.Place(ctx, item.ID, sh.ID, k.Span.First, k.Span.Last); err != nil {
		return out, err
	}
	if err = m.within(ctx, p, sh, item.ID, k); err != nil {
		return out, err
	}
	return out, m.Store.Accepted(ctx, p.ID, item.ID, sh.ID, k.Cover, m.Author)
}

// take is the part of a shot, from cut to cut, that shows a frame of its source; in the shot's frames.
func (m Maker) take(ctx context.Context, sh store.Shot, frame int) (out cover.Span, err error) {
	src, err := m.Store.Source(ctx, sh.Source)
	out = cover.Span{Last: sh.Frames - 1}
	for _, b := range src.Boundaries.V {
		if b.Frame <= frame {
			out.First = max(out.First, b.Frame-sh.First)
		} else {
			out.Last = min(out.Last, b.Frame-1-sh.First)
		}
	}
	return out, err
}

// like makes a cover as the one is by which it was found.
func (m Maker) like(ctx context.Context, k *proposal.Making, p store.Proposal) error {
	mark, err := m.Store.Mark(ctx, *p.Mark)
	if errors.Is(err, store.ErrNone) {
		return nil
	}
	if err != nil || mark.Shot == nil {
		return err
	}
	head, err := m.Store.Head(ctx, *mark.Shot)
	if err != nil {
		return err
	}
	c := head.Document.Find(mark.Cover)
	to, err2 := geom.QuadToQuad(mark.Quad.V, p.Best().Quad)
	if c == nil || err2 != nil {
		return nil // it is gone, or was changed: what was found has corners of its own
	}
	k.Like(c, cover.Time(mark.Frame), to.Mul(mark.At.V))
	return nil
}

// within enters that others were found of what the cover hides: the lines of a sign, the same by another way.
func (m Maker) within(ctx context.Context, p store.Proposal, sh store.Shot, item string, k proposal.Making) error {
	others, err := m.Store.OpenAt(ctx, p.Source, p.First, p.Last)
	if err != nil {
		return err
	}
	for _, o := range others {
		q := o.Rule()
		if o.ID != p.ID && q.Within(k.Outline.Grown(slack*k.Outline.Height()), p.Frame) {
			if err := m.Store.Accepted(ctx, o.ID, item, sh.ID, k.Cover, m.Author); err != nil {
				return err
			}
		}
	}
	return nil
}

// slack is by how much of its height an outline is taken larger to hold what was found by another way.
const slack = .05

// accepting names the acceptance of a proposal: sent again it is the same, after it was opened again another.
func accepting(p store.Proposal) string {
	key := "accept-" + p.ID
	if p.At != nil {
		key += fmt.Sprintf("-%d", p.At.UnixMilli())
	}
	return key
}

// follow has what was accepted followed through its shot, if there is anything to follow, and then what passes in front
// of it looked for.
func (m Maker) follow(ctx context.Context, sh store.Shot, k proposal.Making, t cover.Track) (string, error) {
	if k.Take.First == k.Take.Last || geom.Area(t.Surface) == 0 {
		return "", nil
	}
	if id, err := m.Store.FirstAttempt(ctx, sh.ID, t.ID); err == nil || !errors.Is(err, store.ErrNone) {
		return id, err
	}
	a := store.Attempt{
		ID: store.NewID(), Shot: sh.ID, Track: t.ID, State: store.Queued, Frames: k.Take.Last - k.Take.First + 1,
	}
	a.Spec.V = store.AttemptSpec{
		Track: t, From: k.Take.First, To: k.Take.Last, Ride: k.Cover, At: cover.Time(k.At), Take: true, Later: m.Later,
		Then: store.NewID(), Author: m.Author,
	}
	if err := m.Store.AddAttempt(ctx, a); err != nil {
		return "", fmt.Errorf("the cover was made, but cannot be followed: %w", err)
	}
	return a.ID, nil
}
