package work

import (
	"context"
	"fmt"
	"io"
	"slices"
	"strings"

	"uchi/internal/core/bundle"
	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
	"uchi/internal/core/problem"
	"uchi/internal/core/sheet"
	"uchi/internal/staging"
	"uchi/internal/store"
)

// A bundle is checked, loaded and taken back as one. The work on it is a list of acts
// on its imports that stands in the database: whenever a run of one of them ends, in
// whatever process, the next act is begun. So nothing waits, and a process may die at
// any moment.

// MostMembers is how many imports a bundle has at most.
const MostMembers = sheet.MostParts

// BundleMember is one import of a bundle with where it stands.
type BundleMember struct {
	Import  store.Import
	Reasons []string
	Later   []string // what its links wait for, in words
	Stale   bool     // something that it points to was checked after it
}

// BundleView is a bundle with its imports in their order.
type BundleView struct {
	store.Bundle
	Members  []BundleMember
	Blocks   string   // a ring of links that must be there, in words; empty for none
	Loosen   string   // the field by which it can be broken
	Unfilled []string // record types, by their plural, that no member fills
	Files    int      // how many came along beside the sheets, which these may name
}

// NewBundle makes a bundle without imports.
func (s *Service) NewBundle(ctx context.Context, workspace, name string, by store.Person) (store.Bundle, error) {
	name = fault.Cut(strings.TrimSpace(name), 200)
	if name == "" {
		name = "Bundle"
	}
	if _, err := s.store.Catalog(ctx, workspace); err != nil {
		return store.Bundle{}, err
	}
	return s.store.AddBundle(ctx, workspace, name, by)
}

// sameSource tells of a new source which of the imports of a bundle reads one of the same content.
func (s *Service) sameSource(ctx context.Context, source int64, there []store.Import) (name string, ok bool,
	err error) {
	sum, _, err := s.store.SourceSum(ctx, source)
	if err != nil {
		return "", false, err
	}
	at := slices.IndexFunc(there, func(i store.Import) bool {
		return i.FileSHA256 == sum && i.State != life.Discarded && i.State != life.Undone
	})
	if at < 0 {
		return "", false, nil
	}
	return there[at].FileName, true, nil
}

// AddToBundle stores a source and makes an import of every sheet that it holds. What
// cannot be read is noted, and stops nothing.
func (s *Service) AddToBundle(ctx context.Context, b store.Bundle, u Upload) error {
	if err := openBundle(b, "take further files"); err != nil {
		return err
	}
	name := cleanName(u.FileName)
	source, err := s.store.SaveSource(ctx, name, u.Body, u.Bytes, s.opt.MostBytes)
	if err != nil {
		return err
	}
	left := func(p sheet.Part, f *fault.Error) error {
		return s.store.ChangeBundle(ctx, b.ID, func(now *store.Bundle) error {
			now.LeftOut.V = append(now.LeftOut.V, store.LeftOut{Name: p.Called(name), Trouble: store.TroubleOf(f)})
			return nil
		})
	}
	src, err := s.store.OpenSource(ctx, source)
	if err != nil {
		return err
	}
	parts, err := sheet.Parts(src)
	if f, ok := fault.From(err); ok {
		return left(sheet.Part{}, f)
	}
	if err != nil {
		return err
	}
	there, err := s.store.BundleImports(ctx, b.ID)
	if err != nil {
		return err
	}
	if len(there)+len(parts) > MostMembers {
		return fault.Newf(fault.TooLarge, "too_many_files", "a bundle has at most %d sheets, and these would be %d",
			MostMembers, len(there)+len(parts)).At(fault.Place{File: name}).
			Mended("Make several bundles.")
	}
	if same, ok, err := s.sameSource(ctx, source, there); err != nil {
		return err
	} else if ok {
		if err := s.store.DropSource(ctx, source); err != nil {
			return err
		}
		return left(sheet.Part{}, sheet.SameAs(same))
	}
	for _, p := range parts {
		if p.Trouble != nil {
			if err := left(p, p.Trouble); err != nil {
				return err
			}
			continue
		}
		_, err := s.store.AddImport(ctx, store.NewImport{Workspace: b.Workspace, Name: fault.Cut(p.Called(name), 200),
			Source: source, By: u.By.ID, Bundle: &b.ID,
			Reading: sheet.Reading{File: p.File, Sheet: p.Sheet}}, s.enqueue)
		if err != nil {
			return err
		}
	}
	untaken, err := sheet.Files(src, func(f sheet.File, r io.Reader) error {
		if f.Path == "" || f.Path == src.Name {
			f.Path = name
		}
		return s.store.SaveFile(ctx, b.ID, f, r)
	})
	if f, ok := fault.From(err); ok {
		return left(sheet.Part{}, f)
	}
	if err != nil {
		return err
	}
	for _, p := range untaken {
		if err := left(p, p.Trouble); err != nil {
			return err
		}
	}
	if len(parts) == 0 {
		if err := s.store.DropSource(ctx, source); err != nil {
			return err
		}
	}
	return s.store.ChangeBundle(ctx, b.ID, func(now *store.Bundle) error {
		if now.State == life.Ready {
			now.State = life.Open
		}
		return nil
	})
}

// openBundle refuses what can only be done before rows of a bundle were loaded.
func openBundle(b store.Bundle, what string) error {
	if b.State != life.Open && b.State != life.Ready {
		return fault.Newf(fault.Conflict, "wrong_state", "a bundle that is %s cannot %s", b.State,
			what).Mended("Make another bundle.")
	}
	return nil
}

// Bundle gives a bundle with its imports, their order and the reasons for it.
func (s *Service) Bundle(ctx context.Context, b store.Bundle) (BundleView, error) {
	v := BundleView{Bundle: b}
	imports, members, c, err := s.membersOf(ctx, b)
	if err != nil {
		return v, err
	}
	files, err := s.store.BundleFiles(ctx, b.ID)
	if err != nil {
		return v, err
	}
	for path := range files {
		sheets := func(i store.Import) bool { return i.Reading.V.File == path || i.FileName == path }
		if !slices.ContainsFunc(imports, sheets) {
			v.Files++
		}
	}
	order := orderOf(b, imports, members)
	places := bundle.Explain(members, order)
	v.Blocks, v.Loosen = bundle.Trouble(members, places)
	for _, p := range places {
		m := BundleMember{Import: imports[p.Member], Reasons: p.Reasons}
		for _, l := range p.Later {
			m.Later = append(m.Later, l.Link.Field+" → "+members[l.Member].Name)
		}
		for _, before := range v.Members {
			o := slices.IndexFunc(imports, func(i store.Import) bool { return i.ID == before.Import.ID })
			m.Stale = m.Stale || m.Import.State == life.Ready && newer(before.Import, m.Import) &&
				points(members[p.Member], members[o])
		}
		v.Members = append(v.Members, m)
	}
	for _, t := range c.Types {
		if !slices.ContainsFunc(members, func(m bundle.Member) bool { return slices.Contains(m.Makes, t.Name) }) {
			v.Unfilled = append(v.Unfilled, t.Plural)
		}
	}
	return v, nil
}

// newer reports whether one import was checked after another.
func newer(a, b store.Import) bool {
	return a.CheckedAt != nil && b.CheckedAt != nil && a.CheckedAt.After(*b.CheckedAt)
}

// points reports whether a member comes behind another because it points to it.
func points(a, b bundle.Member) bool {
	return slices.ContainsFunc(a.Links,
		func(l bundle.Link) bool { return slices.Contains(b.Makes, l.To) && !slices.Contains(a.Makes, l.To) })
}

// membersOf gives the imports of a bundle that have not been discarded, in the order
// that they stand in, with what their order depends on.
func (s *Service) membersOf(ctx context.Context, b store.Bundle) ([]store.Import, []bundle.Member,
	catalog.Catalog, error) {
	c, err := s.store.Catalog(store.Whole(ctx), b.Workspace)
	if err != nil {
		return nil, nil, c, err
	}
	imports, err := s.store.BundleImports(ctx, b.ID)
	if err != nil {
		return nil, nil, c, err
	}
	imports = slices.DeleteFunc(imports, func(i store.Import) bool { return i.State == life.Discarded })
	members := make([]bundle.Member, len(imports))
	for n, i := range imports {
		members[n] = bundle.MemberOf(c, i.Name, i.Routine.V)
	}
	return imports, members, c, nil
}

// orderOf gives the order of the imports of a bundle: as people have put it, or as
// their links need it.
func orderOf(b store.Bundle, imports []store.Import, members []bundle.Member) []int {
	if b.Ordered || b.Works() || b.State == life.Loaded || b.State == life.Paused {
		order := make([]int, len(imports))
		for n := range order {
			order[n] = n
		}
		return order
	}
	return bundle.Order(members)
}

// OrderBundle puts the imports of a bundle into an order by hand; with none the order
// follows their links again.
func (s *Service) OrderBundle(ctx context.Context, b store.Bundle, imports []int64, by store.Person) error {
	there, _, _, err := s.membersOf(ctx, b)
	if err != nil {
		return err
	}
	var ids []int64
	for _, i := range there {
		ids = append(ids, i.ID)
	}
	if len(imports) > 0 {
		sorted := slices.Sorted(slices.Values(imports))
		if !slices.Equal(sorted, slices.Sorted(slices.Values(ids))) {
			return fault.New(fault.Invalid, "not_the_members",
				"an order names every import of the bundle once").At(fault.Place{Path: "imports"}).With(fmt.Sprint(imports)).
				Mended(fmt.Sprintf("They are %v.", ids))
		}
	}
	err = s.store.ChangeBundle(ctx, b.ID, func(now *store.Bundle) error {
		if err := openBundle(*now, "be put into another order"); err != nil {
			return err
		}
		now.Ordered, now.State = len(imports) > 0, life.Open
		return s.store.SetTurns(ctx, b.ID, imports)
	})
	if err != nil {
		return err
	}
	return s.store.LogBundle(ctx, b, "order", by)
}

// beginBundle begins a list of acts on the imports of a bundle.
func (s *Service) beginBundle(ctx context.Context, b store.Bundle, state life.State, by store.Person,
	change func(now *store.Bundle) error) error {
	err := s.store.ChangeBundle(ctx, b.ID, func(now *store.Bundle) error {
		if now.Works() {
			return fault.Newf(fault.Conflict, "bundle_busy",
				"the bundle is being worked on").Mended("Wait until this has ended, or cancel it.")
		}
		now.At, now.Begun, now.Trouble.V, now.WorkedBy = 0, false, nil, &by.ID
		if err := change(now); err != nil {
			return err
		}
		if len(now.Plan.V) == 0 {
			return fault.New(fault.Conflict, "nothing_to_do", "there is nothing in the bundle that this could be done with").
				Mended("See its imports: they must be read, and have a record type.")
		}
		now.State = state
		return nil
	})
	if err != nil {
		return err
	}
	if err := s.store.LogBundle(ctx, b, map[life.State]string{life.Checking: "check", life.Loading: "load",
		life.Undoing: "undo"}[state], by); err != nil {
		return err
	}
	return s.advance(ctx, b.ID)
}

// CheckBundle has all imports of a bundle checked, in their order. Those whose links
// wait for imports behind them are checked again when these have been.
func (s *Service) CheckBundle(ctx context.Context, b store.Bundle, by store.Person) error {
	if b.State == life.Loaded || b.State == life.Undone || b.State == life.Discarded {
		return fault.Newf(fault.Conflict, "wrong_state", "a bundle that is %s is not checked", b.State).
			Mended("Make another bundle of the files, or check a single import of it.")
	}
	if err := s.suggestAmong(ctx, b.ID); err != nil {
		return err
	}
	v, err := s.Bundle(ctx, b)
	if err != nil {
		return err
	}
	if v.Blocks != "" {
		return fault.New(fault.Conflict, "ring_of_links", "the imports need each other in a ring: "+
			v.Blocks).At(fault.Place{Path: v.Loosen}).
			Mended("Let the field be left blank (its record type says that it is required), or load one of the two without it first.")
	}
	// Those whose links wait are checked again when what they lead to has been, and
	// with them those that point to them.
	var plan, again []store.BundleStep
	var turns []int64
	ring := false
	for _, m := range v.Members {
		turns = append(turns, m.Import.ID)
		if m.Import.Routine.V == nil || m.Import.Written {
			continue
		}
		step := store.BundleStep{Import: m.Import.ID, Act: life.Check}
		plan = append(plan, step)
		if ring = ring || len(m.Later) > 0; ring {
			again = append(again, step)
		}
	}
	if err := s.store.SetTurns(ctx, b.ID, turns); err != nil {
		return err
	}
	return s.beginBundle(ctx, b, life.Checking, by, func(now *store.Bundle) error {
		now.Plan.V = append(plan, again...)
		return nil
	})
}

// LoadBundle has the verdicts of all imports of a checked bundle carried out in their
// order, or goes on with a load that has given way.
func (s *Service) LoadBundle(ctx context.Context, b store.Bundle, policy store.BundlePolicy, by store.Person) error {
	v, err := s.Bundle(ctx, b)
	if err != nil {
		return err
	}
	if err := s.mayWriteAll(ctx, v, by); err != nil {
		return err
	}
	switch b.State {
	case life.Ready:
		for _, m := range v.Members {
			if m.Stale || m.Import.Routine.V != nil && !m.Import.Written && m.Import.State != life.Ready {
				return fault.New(fault.Conflict, "check_again", m.Import.Name+" was changed, or something that it points to "+
					"was, after the bundle was checked").
					Mended("Check the bundle again.")
			}
		}
	case life.Paused:
	default:
		return fault.Newf(fault.Conflict, "wrong_state", "a bundle that is %s cannot be loaded",
			b.State).Mended("Check it first.")
	}
	return s.beginBundle(ctx, b, life.Loading, by, func(now *store.Bundle) error {
		now.Policy.V, now.Plan.V = policy, nil
		written := map[string]bool{} // the types of which records are written before
		for _, m := range v.Members {
			switch m.Import.State {
			case life.Ready:
				again := false
				for _, name := range m.Import.Routine.V.TypeNames() {
					again, written[name] = again || written[name], true
				}
				if again { // its rows may be like what the files before have made
					t := m.Import.Totals.V
					now.Plan.V = append(now.Plan.V, store.BundleStep{Import: m.Import.ID, Act: life.Check, Was: t.Verdicts,
						Removes: t.Removes(), Twice: t.Problem(string(problem.MadeBefore))})
				}
				now.Plan.V = append(now.Plan.V, store.BundleStep{Import: m.Import.ID, Act: life.Load})
			case life.Paused:
				now.Plan.V = append(now.Plan.V, store.BundleStep{Import: m.Import.ID, Act: life.Resume})
			}
		}
		return nil
	})
}

// UndoBundle has taken back what the imports of a bundle have written, the last first.
func (s *Service) UndoBundle(ctx context.Context, b store.Bundle, by store.Person) error {
	v, err := s.Bundle(ctx, b)
	if err != nil {
		return err
	}
	if err := s.mayWriteAll(ctx, v, by); err != nil {
		return err
	}
	return s.beginBundle(ctx, b, life.Undoing, by, func(now *store.Bundle) error {
		now.Plan.V = nil
		for _, m := range slices.Backward(v.Members) {
			if stands(m.Import) {
				now.Plan.V = append(now.Plan.V, store.BundleStep{Import: m.Import.ID, Act: life.Undo})
			}
		}
		if len(now.Plan.V) == 0 {
			return errNothingLoaded
		}
		return nil
	})
}

// stands reports whether an import has loaded something that was not taken back.
func stands(i store.Import) bool { return i.Written && i.State != life.Undone }

var errNothingLoaded = fault.New(fault.Conflict, "nothing_written",
	"nothing of the bundle was loaded, so there is nothing to take back").
	Mended("Discard it, if it is not to be loaded.")

// PlanUndoBundle tells what taking a bundle back would do, all its imports together:
// what one of them points to goes with it.
func (s *Service) PlanUndoBundle(ctx context.Context, b store.Bundle, items int,
	by store.Person) (plan staging.UndoPlan, err error) {
	imports, _, c, err := s.membersOf(ctx, b)
	if err != nil {
		return plan, err
	}
	var pieces []int64
	var last store.Import
	for _, i := range imports {
		if !stands(i) {
			continue
		}
		run, err := s.toUndo(ctx, i, UndoRequest{}, by)
		if err != nil {
			return plan, err
		}
		pieces, last = append(pieces, run.Undoes...), i
	}
	if len(pieces) == 0 {
		return plan, errNothingLoaded
	}
	return s.planUndo(ctx, last, store.Run{Undoes: pieces}, c, items, by)
}

// CancelBundle ends the work on a bundle, and what runs of it.
func (s *Service) CancelBundle(ctx context.Context, b store.Bundle, by store.Person) error {
	var runs int64
	err := s.store.ChangeBundle(ctx, b.ID, func(now *store.Bundle) error {
		if !now.Works() {
			return fault.New(fault.Conflict, "nothing_runs", "nothing runs that could be cancelled").With(string(now.State))
		}
		if now.Begun {
			runs = now.Plan.V[now.At].Import
		}
		now.Trouble.V = &store.Trouble{Code: "cancelled", Message: "the work was cancelled by " + by.Name}
		rest(now)
		return nil
	})
	if err != nil {
		return err
	}
	if runs > 0 {
		i, err := s.store.Import(ctx, b.Workspace, runs)
		if err == nil && i.Work != "" {
			err = s.Do(ctx, i, life.Cancel, by)
		}
		if err != nil && !fault.Is(err, "nothing_runs") {
			return err
		}
	}
	return s.store.LogBundle(ctx, b, "cancel", by)
}

// DiscardBundle gives up a bundle of which nothing was loaded, with its imports.
func (s *Service) DiscardBundle(ctx context.Context, b store.Bundle, by store.Person) error {
	imports, _, _, err := s.membersOf(ctx, b)
	if err != nil {
		return err
	}
	for _, i := range imports {
		if i.Written {
			return fault.New(fault.Conflict, "rows_written", "rows of the bundle were loaded, so it cannot be discarded").
				Mended("Take it back, or leave it as it is.")
		}
	}
	err = s.store.ChangeBundle(ctx, b.ID, func(now *store.Bundle) error {
		if now.Works() {
			return fault.New(fault.Conflict, "bundle_busy", "the bundle is being worked on").Mended("Cancel it first.")
		}
		now.State = life.Discarded
		return nil
	})
	if err != nil {
		return err
	}
	for _, i := range imports {
		if err := s.Do(ctx, i, life.Discard, by); err != nil {
			return err
		}
	}
	return s.store.LogBundle(ctx, b, "discard", by)
}

// partOf stands between the name of a bundle and that of an import of it in the names of
// their routines.
const partOf = ": "

// SaveBundle keeps the set-up of every import of a bundle as a routine, by which the
// next files of their kind are recognised; it gives the names.
func (s *Service) SaveBundle(ctx context.Context, b store.Bundle, name string, by store.Person) ([]string, error) {
	name = strings.TrimSpace(name)
	if name == "" {
		return nil, fault.New(fault.Invalid, "bad_name",
			"the routines of a bundle need a name").At(fault.Place{Path: "name"}).
			Mended("Give one, such as that of whom the files come from.")
	}
	imports, _, _, err := s.membersOf(ctx, b)
	if err != nil {
		return nil, err
	}
	var names []string
	for _, i := range imports {
		if i.Routine.V == nil {
			continue
		}
		r := *i.Routine.V
		r.Name, r.Reading = fault.Cut(name+partOf+i.Name, 100), sheet.Reading{}.Taught(i.Reading.V)
		if _, err := s.SaveRoutine(ctx, b.Workspace, r, 0, by); err != nil {
			return names, err
		}
		names = append(names, r.Name)
	}
	return names, nil
}

// recognised gives the routine by which a file of a bundle is set up without being
// asked: it has all columns that the routine takes, under whatever name, and the
// routine is that of a file of this name, or the only one that knows all its columns.
func (s *Service) recognised(ctx context.Context, c catalog.Catalog, i store.Import) (*mapping.Routine, error) {
	list, err := s.Recognise(ctx, i)
	if err != nil {
		return nil, err
	}
	list = slices.DeleteFunc(list, func(r Recognised) bool { return r.Share < 1 })
	at := slices.IndexFunc(list, func(r Recognised) bool { return strings.HasSuffix(r.Name, partOf+i.Name) })
	if at < 0 {
		list = slices.DeleteFunc(list, func(r Recognised) bool { return len(r.New) > 0 })
		if len(list) != 1 {
			return nil, nil
		}
		at = 0
	}
	saved, err := s.store.Routine(ctx, i.Workspace, list[at].Name)
	if err != nil {
		return nil, err
	}
	r, ok := fitted(c, saved.Document.V.Renamed(c), i)
	if !ok {
		return nil, nil
	}
	return &r, nil
}

// besideOf gives the other imports of the bundle that an import belongs to, as far as
// their rows may be linked to.
func (s *Service) besideOf(ctx context.Context, i store.Import) ([]staging.Beside, error) {
	if i.Bundle == nil {
		return nil, nil
	}
	imports, err := s.store.BundleImports(ctx, *i.Bundle)
	if err != nil {
		return nil, err
	}
	var list []staging.Beside
	for _, o := range imports {
		if o.ID == i.ID || o.Routine.V == nil || o.State == life.Discarded || o.State == life.Undone ||
			o.State == life.Closed {
			continue
		}
		plan, _, err := s.planOf(ctx, o)
		if _, bad := fault.From(err); bad {
			continue // it cannot be loaded as it is
		}
		if err != nil {
			return nil, err
		}
		later := o.Turn > i.Turn || o.Turn == i.Turn && o.Place > i.Place
		list = append(list, staging.Beside{Import: o, Plan: plan, Later: later})
	}
	return list, nil
}
