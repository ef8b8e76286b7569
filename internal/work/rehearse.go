package work

import (
	"context"

	"uchi/internal/core/fault"
	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
	"uchi/internal/core/rights"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
)

// Rehearse makes, in another workspace, an import of the same source that is set up as this one
// is. What is done with it touches no record here.
func (s *Service) Rehearse(ctx context.Context, i store.Import, in string, by store.Person) (store.Import, error) {
	var none store.Import
	if err := MustSee(i); err != nil {
		return none, err
	}
	if in == i.Workspace {
		return none, fault.New(fault.Invalid, "same_workspace",
			"an import is rehearsed in another workspace than its own").At(fault.Place{Path: "workspace"}).With(in).
			Mended("Make one as a copy of this: uchi workspaces add practice --from " + in + ".")
	}
	err := s.mustCover(ctx, by, in, rights.Operator)
	if f, ok := fault.From(err); ok && f.Kind == fault.NotFound {
		err = f.Mended("Make one as a copy of this: uchi workspaces add " + in + " --from " + i.Workspace + " --share 10.")
	}
	if err != nil {
		return none, err
	}
	if i.CleanedAt != nil {
		return none, fault.New(fault.Conflict, "no_longer_kept",
			"the source of the import is no longer kept").Mended("Upload the file in the other workspace.")
	}
	c, err := s.store.Catalog(store.Whole(ctx), in)
	if err != nil {
		return none, err
	}
	n := store.NewImport{Workspace: in, Name: i.Name, Source: i.Source, Into: i.Into, Reading: i.Reading.V,
		Rehearses: &i.ID, By: by.ID}
	if i.Routine.V != nil {
		r := i.Routine.V.Renamed(c)
		if _, err := mapping.NewPlan(r, c, i.Columns.V); err != nil {
			return none, err
		}
		n.Routine = &r
	}
	id, err := s.store.AddImport(ctx, n, s.enqueue)
	if err != nil {
		return none, err
	}
	return s.store.Import(ctx, in, id)
}

// Rehearsed sets the import that this one rehearses up as this one is: how the source is read, and
// its routine. Answers and changed cells stay behind, since they are about the records there. It
// gives the import that was rehearsed.
func (s *Service) Rehearsed(ctx context.Context, rehearsal store.Import, by store.Person) (store.Import, error) {
	var none store.Import
	if rehearsal.Rehearses == nil {
		return none, fault.New(fault.Conflict, "no_rehearsal",
			"the import rehearses no other, or that is gone").Mended("Save its set-up as a routine, and copy that.")
	}
	if rehearsal.Routine.V == nil {
		return none, fault.New(fault.Conflict, "no_mapping", "no column is mapped yet")
	}
	to := rehearsal.RehearsesIn
	if err := s.mustCover(ctx, by, to, rights.Operator); err != nil {
		return none, err
	}
	if err := s.store.MustBeOpen(ctx, to); err != nil {
		return none, err
	}
	role, err := s.store.RoleIn(ctx, by, to)
	if err != nil {
		return none, err
	}
	there, seen := by, store.SeenAs(ctx, role)
	there.Role = role
	i, err := s.store.Import(seen, to, *rehearsal.Rehearses)
	if err != nil {
		return none, err
	}
	if err := MustSee(i); err != nil {
		return none, err
	}
	c, err := s.store.Catalog(store.Whole(ctx), to)
	if err != nil {
		return none, err
	}
	r := rehearsal.Routine.V.Renamed(c)
	if err := mayChange(i, r, c, there); err != nil {
		return none, err
	}
	if _, err := mapping.NewPlan(r, c, rehearsal.Columns.V); err != nil {
		return none, err
	}
	if i.Reading.V == rehearsal.Reading.V {
		err = s.SetRoutine(seen, i, r, i.RoutineVersion, there)
	} else { // read anew, with its columns as they are there
		err = s.act(seen, i, life.ChangeReading, there, "", func(ctx context.Context, tx pgx.Tx, now store.Import) error {
			if err := mayRead(now, rehearsal.Reading.V); err != nil {
				return err
			}
			if err := mayMap(now, r); err != nil {
				return err
			}
			if err := store.SetReading(ctx, tx, now.ID, rehearsal.Reading.V); err != nil {
				return err
			}
			return store.SetRoutine(ctx, tx, now.ID, r)
		})
	}
	if err != nil {
		return none, err
	}
	return s.store.Import(seen, to, i.ID)
}
