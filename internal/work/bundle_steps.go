package work

import (
	"context"
	"errors"
	"fmt"

	"uchi/internal/core/life"
	"uchi/internal/core/verdict"
	"uchi/internal/store"
)

// How a bundle goes on from one of its members to the next.

// rest puts a bundle on which work has ended, or was ended, into the state in which
// it is now.
func rest(b *store.Bundle) {
	done := b.At >= len(b.Plan.V)
	switch {
	case b.State == life.Checking && done && b.Trouble.V == nil:
		b.State = life.Ready
	case b.State == life.Checking:
		b.State = life.Open
	case b.State == life.Loading && done && b.Trouble.V == nil:
		b.State = life.Loaded
	case b.State == life.Undoing && done && b.Trouble.V == nil:
		b.State = life.Undone
	case b.State == life.Undoing: // some of it is still there
		b.State = life.Loaded
	default:
		b.State = life.Paused
	}
	b.Begun = false
}

// advanceOf goes on with the work on the bundle that an import belongs to, if any.
func (s *Service) advanceOf(ctx context.Context, importID int64) error {
	i, err := s.store.ImportAnywhere(ctx, importID)
	if err != nil || i.Bundle == nil {
		return err
	}
	return s.advance(ctx, *i.Bundle)
}

// advanceAll goes on with the work on all bundles: for what ended while no process
// lived to see it.
func (s *Service) advanceAll(ctx context.Context) error {
	ids, err := s.store.BundlesAtWork(ctx)
	for _, id := range ids {
		err = errors.Join(err, s.advance(ctx, id))
	}
	return err
}

// advance begins the next act of the work on a bundle when the one before has ended.
func (s *Service) advance(ctx context.Context, id int64) error {
	return s.store.ChangeBundle(ctx, id, func(b *store.Bundle) error {
		for b.Works() {
			if b.At >= len(b.Plan.V) {
				rest(b)
				return nil
			}
			step := b.Plan.V[b.At]
			i, err := s.store.Import(ctx, b.Workspace, step.Import)
			if err != nil {
				return err
			}
			if i.Work != "" {
				return nil // its end goes on with this
			}
			if !b.Begun && !did(step.Act, i) {
				b.Begun = true
				if err := s.begin(ctx, b, step, i); err != nil {
					s.giveWay(b, i, s.troubleOf(err, i.ID))
				}
				continue
			}
			b.Begun = false
			if trouble := gaveWay(step, i); trouble != nil {
				s.giveWay(b, i, *trouble)
				continue
			}
			b.At++
		}
		return nil
	})
}

// giveWay ends the work on a bundle, or goes on with the next import where that is the
// policy.
func (s *Service) giveWay(b *store.Bundle, i store.Import, trouble store.Trouble) {
	trouble.Message = i.Name + ": " + trouble.Message
	b.Begun = false
	// What is left is worth knowing, or taking back.
	if b.State == life.Checking || b.State == life.Undoing || b.State == life.Loading && b.Policy.V.GoOn {
		b.Trouble.V = &trouble
		for now := b.Plan.V[b.At].Import; b.At < len(b.Plan.V) && b.Plan.V[b.At].Import == now; b.At++ {
		}
		return
	}
	b.Trouble.V = &trouble
	rest(b)
}

// did reports whether an act was done on an import though nobody has noted it.
func did(act life.Event, i store.Import) bool {
	return (act == life.Load || act == life.Resume) && i.State == life.Loaded || act == life.Undo && i.State == life.Undone
}

// gaveWay tells why an act on an import that has ended did not come to its end, or
// why the next may not follow.
func gaveWay(step store.BundleStep, i store.Import) *store.Trouble {
	if i.Trouble.V != nil {
		return i.Trouble.V
	}
	if t := i.Totals.V; step.Was != nil && t != nil && (!asSaid(step.Was, t.Verdicts, step.Twice) ||
		step.Removes != t.Removes()) {
		return &store.Trouble{Code: string(life.Differs), Message: "since the files before it were loaded, the check " +
			"says something else of its rows",
			Mend: "Look at them, answer or mend, and go on with the bundle."}
	}
	end := map[life.Event]life.State{life.Check: life.Ready, life.Load: life.Loaded, life.Resume: life.Loaded,
		life.Undo: life.Undone}
	if end[step.Act] == i.State {
		return nil
	}
	if step.Act == life.Undo && i.State == life.Loaded {
		return &store.Trouble{Code: string(life.PartUndone), Message: "not all of it could be taken back",
			Mend: "Its result says what stays, and why."}
	}
	return &store.Trouble{Code: "gave_way", Message: fmt.Sprintf("it is %s", i.State),
		Mend: "Look at the import, and go on with the bundle."}
}

// asSaid reports whether a check came to the numbers that the one before has come to, but that
// of the rows that make a record up to so many may find it made by now, and change it or say
// nothing new.
func asSaid(before, now map[string]int64, twice int64) bool {
	var more int64
	for _, v := range verdict.All {
		by := now[string(v)] - before[string(v)]
		switch v {
		case verdict.Create:
			if by > 0 || by < -twice {
				return false
			}
			more += by
		case verdict.Update, verdict.Same, verdict.Skip:
			if by < 0 {
				return false
			}
			more += by
		default:
			if by != 0 {
				return false
			}
		}
	}
	return more == 0
}

// begin begins one act of the work on a bundle.
func (s *Service) begin(ctx context.Context, b *store.Bundle, step store.BundleStep, i store.Import) error {
	by, err := s.store.PersonIn(ctx, *b.WorkedBy, b.Workspace)
	if err != nil {
		return err
	}
	switch step.Act {
	case life.Check:
		return s.Check(ctx, i, by)
	case life.Load:
		return s.Load(ctx, i, LoadRequest{Policy: b.Policy.V.LoadPolicy}, by)
	case life.Undo:
		return s.Undo(ctx, i, UndoRequest{}, by)
	}
	return s.Do(ctx, i, step.Act, by)
}
