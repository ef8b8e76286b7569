package work

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"uchi/internal/core/fault"
	"uchi/internal/core/feed"
	"uchi/internal/places"
	"uchi/internal/store"
)

// What a look does at its place: which files are whole, whose turn it is, and how one becomes
// an import.

// openPlace opens the place of a feed; a host that is not known yet is from then on.
func (s *Service) openPlace(ctx context.Context, f store.Feed, tag string) (places.Place, error) {
	opt := s.opt.Places
	var err error
	if opt.Secret, err = s.opt.Secrets.Open(f.Secret, forFeed(f.Workspace, f.Name)); err != nil {
		return nil, err
	}
	opt.HostKey, opt.Tag = f.HostKey, tag
	p, err := places.Open(ctx, f.Document.V.Usual().Place, opt)
	if err != nil {
		return nil, err
	}
	if key := places.HostKeyOf(p); key != "" && f.HostKey == "" {
		err = s.store.LearnHostKey(ctx, f, key)
	}
	if err != nil {
		return nil, errors.Join(err, p.Close())
	}
	return p, nil
}

// lookInto takes the next file from the place of a feed.
func (s *Service) lookInto(ctx context.Context, f store.Feed, r *store.FeedRun) error {
	doc := f.Document.V.Usual()
	if doc.Place.Kind == feed.Sent {
		r.Said = "files are sent here; there is nowhere to look"
		return nil
	}
	taken, err := s.store.FeedFiles(ctx, f.ID, 0)
	if err != nil {
		return err
	}
	// as if it had not been
	taken = slices.DeleteFunc(taken, func(x store.FeedFile) bool { return x.Try && x.State != store.FeedLoaded })
	tag := ""
	if len(taken) > 0 && !f.Try {
		tag = taken[0].Tag
	}
	p, err := s.openPlace(ctx, f, tag)
	if err != nil {
		return err
	}
	defer p.Close() //nolint:errcheck // only read from
	if err := s.putAway(ctx, p, doc, taken); err != nil {
		return err
	}
	list, err := s.whole(ctx, p, doc, r)
	if err != nil {
		return err
	}
	before := func(x places.File) bool {
		return slices.ContainsFunc(taken, func(t store.FeedFile) bool { return same(t, x) })
	}
	fresh := slices.DeleteFunc(slices.Clone(list), before)
	if f.Try && len(fresh) == 0 && len(list) > 0 {
		fresh = list[len(list)-1:] // what it would do with the last one
	}
	if fresh, err = s.inTurn(ctx, f, doc, r, fresh, taken); err != nil {
		return err
	}
	for _, x := range fresh {
		ok, err := s.take(ctx, f, r, p, x, taken)
		if ok || err != nil {
			return err
		}
	}
	if r.Said == "" {
		r.Said = "nothing new"
	}
	return nil
}

// inTurn gives the files of which the first is to be taken: those of the first part before
// those of the next, of a set only when it is there whole; where only the newest are wanted
// the others are passed over.
func (s *Service) inTurn(ctx context.Context, f store.Feed, doc feed.Feed, r *store.FeedRun, fresh []places.File,
	taken []store.FeedFile) (list []places.File, err error) {
	parts := make([][]places.File, len(doc.Parts()))
	for _, x := range fresh {
		at := doc.PartOf(x.Name)
		parts[at] = append(parts[at], x)
	}
	for at, of := range parts {
		if doc.Newest && len(of) > 1 && !f.Try {
			for _, x := range of[:len(of)-1] {
				if err := s.passOver(ctx, f, *r, x, "", "not newest", "a newer file was there"); err != nil {
					return nil, err
				}
			}
			parts[at] = of[len(of)-1:]
		}
	}
	if !doc.Set || f.Try {
		return slices.Concat(parts...), nil
	}
	turn := doc.Turn(namesTaken(taken))
	var missing []string
	for at, of := range parts {
		if len(of) == 0 && at >= turn && (turn == 0 || at == turn) {
			missing = append(missing, doc.Parts()[at].Files)
		}
	}
	if len(missing) > 0 {
		if len(fresh) > 0 {
			r.Said = "the set is not whole: it waits for " + strings.Join(missing, ", ")
		}
		return nil, nil
	}
	return parts[turn], nil
}

// namesTaken lists the names of the files that have had their turn, the newest first: those
// that were taken, and those of which the content came before.
func namesTaken(taken []store.FeedFile) (names []string) {
	before := func(b feed.Breach) bool { return b.Bound == "came before" }
	for _, x := range taken {
		if x.State != store.FeedPassedOver || slices.ContainsFunc(x.Reasons.V, before) {
			names = append(names, x.Name)
		}
	}
	return names
}

// same reports whether a file at a place is one that was taken.
func same(t store.FeedFile, x places.File) bool {
	if x.Tag == "" && x.Modified.IsZero() {
		return false // only what it holds can tell
	}
	if t.Name != x.Name || t.Tag != x.Tag || t.Bytes >= 0 && x.Bytes >= 0 && t.Bytes != x.Bytes {
		return false
	}
	return t.Modified == nil && x.Modified.IsZero() || t.Modified != nil &&
		t.Modified.Equal(x.Modified.Truncate(time.Microsecond))
}

// putAway moves files that were loaded since the feed last looked.
func (s *Service) putAway(ctx context.Context, p places.Place, doc feed.Feed, taken []store.FeedFile) error {
	if doc.After != feed.Move {
		return nil
	}
	there, err := p.List(ctx)
	if err != nil {
		return err
	}
	for _, t := range taken {
		if t.State != store.FeedLoaded || t.Moved {
			continue
		}
		for _, x := range there {
			if !same(t, x) {
				continue
			}
			if err := p.Move(ctx, x.Name, doc.MoveTo); err != nil {
				return err
			}
			marked := func(o places.File) bool { return o.Name == x.Name+doc.Mark }
			if doc.Mark != "" && slices.ContainsFunc(there, marked) {
				if err := p.Move(ctx, x.Name+doc.Mark, doc.MoveTo); err != nil {
					return err
				}
			}
		}
		if err := s.store.NoteMoved(ctx, t.ID); err != nil {
			return err
		}
	}
	return nil
}

// whole gives the files that the feed takes by their names and that are whole, oldest
// first: those that have their mark, or have not grown for a while.
func (s *Service) whole(ctx context.Context, p places.Place, doc feed.Feed, r *store.FeedRun) ([]places.File, error) {
	all, err := p.List(ctx)
	if err != nil {
		return nil, err
	}
	takes := func(list []places.File) []places.File {
		return slices.DeleteFunc(slices.Clone(list), func(x places.File) bool { return !doc.Takes(x.Name) })
	}
	list := takes(all)
	r.Seen = len(list)
	switch {
	case len(list) == 0 || doc.Place.Kind == feed.HTTPS:
	case doc.Mark != "":
		list = slices.DeleteFunc(list, func(x places.File) bool {
			return !slices.ContainsFunc(all, func(o places.File) bool { return o.Name == x.Name+doc.Mark })
		})
		if n := r.Seen - len(list); n > 0 {
			r.Said = fmt.Sprintf("%d not whole yet: they have no %s", n, doc.Mark)
		}
	default:
		select {
		case <-time.After(time.Duration(doc.Still) * time.Second):
		case <-ctx.Done():
			return nil, ctx.Err()
		}
		if all, err = p.List(ctx); err != nil {
			return nil, err
		}
		now := takes(all)
		list = slices.DeleteFunc(list, func(x places.File) bool { return !slices.ContainsFunc(now, x.Same) })
		if n := r.Seen - len(list); n > 0 {
			r.Said = fmt.Sprintf("%d still growing", n)
		}
	}
	slices.SortFunc(list, func(a, b places.File) int {
		return cmp.Or(a.Modified.Compare(b.Modified), strings.Compare(a.Name, b.Name))
	})
	return list, nil
}

func (s *Service) passOver(ctx context.Context, f store.Feed, r store.FeedRun, x places.File, sum, bound,
	why string) error {
	return s.store.PassOver(ctx, store.FeedFile{Feed: f.ID, Run: ofRun(r), Name: x.Name, Bytes: x.Bytes,
		Modified: moment(x.Modified), Tag: x.Tag, SHA256: sum,
		Reasons: store.JSON[[]feed.Breach]{V: []feed.Breach{{Bound: bound, Says: why}}}})
}

// ofRun is the look that a file was seen by; nil for one that was sent.
func ofRun(r store.FeedRun) *int64 {
	if r.ID == 0 {
		return nil
	}
	return &r.ID
}

func moment(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}

// take makes an import of a file; ok is false where its content came before, or it grew
// while it was read.
func (s *Service) take(ctx context.Context, f store.Feed, r *store.FeedRun, p places.Place, x places.File,
	taken []store.FeedFile) (ok bool, err error) {
	body, err := p.Open(ctx, x.Name)
	if err != nil {
		return false, err
	}
	defer body.Close() //nolint:errcheck // only read from
	source, err := s.store.SaveSource(ctx, cleanName(x.Name), body, x.Bytes, s.opt.MostBytes)
	if err != nil {
		if fault.Is(err, "upload_cut_off") {
			r.Said = x.Name + " has changed while it was read; it is looked for again"
			return false, nil
		}
		return false, err
	}
	kept := false
	defer func() {
		if !kept {
			err = errors.Join(err, s.store.DropSource(context.WithoutCancel(ctx), source))
		}
	}()
	if f.Document.V.Place.Kind != feed.HTTPS {
		now, err := p.List(ctx)
		if err != nil {
			return false, err
		}
		if !slices.ContainsFunc(now, x.Same) {
			r.Said = x.Name + " has changed while it was read; it is looked for again"
			return false, nil
		}
	}
	ok, err = s.takeSource(ctx, f, r, x, source, taken)
	kept = ok
	return ok, err
}

// takeSource makes an import of a stored file, unless its content came before.
func (s *Service) takeSource(ctx context.Context, f store.Feed, r *store.FeedRun, x places.File, source int64,
	taken []store.FeedFile) (bool, error) {
	sum, bytes, err := s.store.SourceSum(ctx, source)
	if err != nil {
		return false, err
	}
	if n := slices.IndexFunc(taken,
		func(t store.FeedFile) bool { return t.SHA256 == sum && t.State != store.FeedPassedOver }); n >= 0 && !f.Try {
		r.Said = x.Name + " came before"
		if f.Document.V.Place.Kind == feed.HTTPS {
			return false, nil // every look would note it
		}
		return false, s.passOver(ctx, f, *r, x, sum, "came before", "its content came before as "+taken[n].Name)
	}
	saved, err := s.store.Routine(ctx, f.Workspace, f.Document.V.RoutineOf(x.Name))
	if err != nil {
		return false, err
	}
	by, err := s.ownerOf(ctx, f)
	if err != nil {
		return false, err
	}
	file := store.FeedFile{Feed: f.ID, Run: ofRun(*r), Name: x.Name, Bytes: bytes, Modified: moment(x.Modified),
		Tag: x.Tag, SHA256: sum, Try: f.Try}
	_, err = s.store.AddImport(byFeed(ctx, f), store.NewImport{Workspace: f.Workspace, Name: cleanName(x.Name),
		Source: source, Reading: saved.Document.V.Reading, By: by.ID,
		Also: func(ctx context.Context, tx pgx.Tx, id int64) error {
			file.Import = &id
			return store.TakeFile(ctx, tx, file)
		}}, s.enqueue)
	if err != nil {
		return false, err
	}
	r.Said = "took " + x.Name
	return true, nil
}
