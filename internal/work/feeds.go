package work

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"uchi/internal/core/fault"
	"uchi/internal/core/feed"
	"uchi/internal/core/life"
	"uchi/internal/core/rights"
	"uchi/internal/core/suggest"
	"uchi/internal/core/verdict"
	"uchi/internal/places"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
)

// A feed looks into its place when its time has come, takes the next file that is whole
// and that it has not taken before, and makes an import of it. From then on the file goes
// from state to state in the database whenever a run of its import ends, in whatever
// process; so nothing waits, and a process may die at any moment.

// lookForFeeds begins the looks whose time has come, goes on with files whose import
// has ended while no process lived to see it, and frees feeds of dead processes.
func (s *Service) lookForFeeds(ctx context.Context) error {
	if err := s.store.FreeFeeds(ctx, "", silentAfter); err != nil {
		return err
	}
	open, err := s.store.OpenFeedFiles(ctx)
	for _, x := range open {
		if x.Import != nil {
			err = errors.Join(err, s.goOnWithFile(ctx, *x.Import))
		}
	}
	if err != nil {
		return err
	}
	for {
		select {
		case s.looks <- struct{}{}:
		default:
			return nil // as many as may look
		}
		f, r, ok, err := s.store.ClaimFeed(ctx, s.opt.Process)
		if err != nil || !ok {
			<-s.looks
			return err
		}
		go func() {
			defer func() { <-s.looks }()
			s.look(ctx, f, r)
		}()
	}
}

// look is one look of a feed, from its beginning to its end.
func (s *Service) look(ctx context.Context, f store.Feed, r store.FeedRun) {
	err := safely(func() error { return s.lookInto(ctx, f, &r) })
	if ctx.Err() != nil {
		r.Said = "the service ended meanwhile"
	} else if err != nil {
		trouble := s.feedTrouble(err, f)
		r.Trouble.V = &trouble
	}
	ctx = context.WithoutCancel(ctx)
	if err := s.store.EndFeedRun(ctx, r, f); err != nil {
		s.opt.Log.Warn("the end of a look of a feed is not noted", "feed", f.Name, "error", err)
	}
}

func (s *Service) feedTrouble(err error, f store.Feed) store.Trouble {
	if x, ok := fault.From(err); ok {
		return store.TroubleOf(x)
	}
	s.opt.Log.Error("a feed cannot look", "feed", f.Name, "workspace", f.Workspace, "error", err)
	return store.Trouble{
		Code: "internal", Message: "the feed could not look: " + fault.Cut(err.Error(), 300),
		Mend: "It looks again the next time; the service's log says more.",
	}
}

// forFeed is the purpose that the secret of a feed is sealed for.
func forFeed(workspace, name string) string { return "feed " + workspace + "/" + name }

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
	taken = slices.DeleteFunc(taken, func(x store.FeedFile) bool { return x.Try && x.State != store.FeedLoaded }) // as if it had not been
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
	if doc.Newest && len(fresh) > 1 && !f.Try {
		for _, x := range fresh[:len(fresh)-1] {
			if err := s.passOver(ctx, f, *r, x, "", "not newest", "a newer file was there"); err != nil {
				return err
			}
		}
		fresh = fresh[len(fresh)-1:]
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

// same reports whether a file at a place is one that was taken.
func same(t store.FeedFile, x places.File) bool {
	if x.Tag == "" && x.Modified.IsZero() {
		return false // only what it holds can tell
	}
	if t.Name != x.Name || t.Tag != x.Tag || t.Bytes >= 0 && x.Bytes >= 0 && t.Bytes != x.Bytes {
		return false
	}
	return t.Modified == nil && x.Modified.IsZero() || t.Modified != nil && t.Modified.Equal(x.Modified.Truncate(time.Microsecond))
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

func (s *Service) passOver(ctx context.Context, f store.Feed, r store.FeedRun, x places.File, sum, bound, why string) error {
	return s.store.PassOver(ctx, store.FeedFile{Feed: f.ID, Run: ofRun(r), Name: x.Name, Bytes: x.Bytes, Modified: moment(x.Modified), Tag: x.Tag, SHA256: sum,
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
func (s *Service) take(ctx context.Context, f store.Feed, r *store.FeedRun, p places.Place, x places.File, taken []store.FeedFile) (ok bool, err error) {
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
func (s *Service) takeSource(ctx context.Context, f store.Feed, r *store.FeedRun, x places.File, source int64, taken []store.FeedFile) (bool, error) {
	sum, bytes, err := s.store.SourceSum(ctx, source)
	if err != nil {
		return false, err
	}
	if n := slices.IndexFunc(taken, func(t store.FeedFile) bool { return t.SHA256 == sum && t.State != store.FeedPassedOver }); n >= 0 && !f.Try {
		r.Said = x.Name + " came before"
		if f.Document.V.Place.Kind == feed.HTTPS {
			return false, nil // every look would note it
		}
		return false, s.passOver(ctx, f, *r, x, sum, "came before", "its content came before as "+taken[n].Name)
	}
	saved, err := s.store.Routine(ctx, f.Workspace, f.Document.V.Routine)
	if err != nil {
		return false, err
	}
	by, err := s.ownerOf(ctx, f)
	if err != nil {
		return false, err
	}
	file := store.FeedFile{Feed: f.ID, Run: ofRun(*r), Name: x.Name, Bytes: bytes, Modified: moment(x.Modified), Tag: x.Tag, SHA256: sum, Try: f.Try}
	_, err = s.store.AddImport(byFeed(ctx, f), store.NewImport{Workspace: f.Workspace, Name: cleanName(x.Name), Source: source, Reading: saved.Document.V.Reading, By: by.ID,
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

// byFeed gives a context in which acts come from a feed.
func byFeed(ctx context.Context, f store.Feed) context.Context {
	return store.From(ctx, store.Origin{Address: "feed " + f.Name})
}

// ownerOf gives the person that a feed acts for, who must still be allowed to load.
func (s *Service) ownerOf(ctx context.Context, f store.Feed) (store.Person, error) {
	by, err := s.store.PersonIn(ctx, f.Owner, f.Workspace)
	if err != nil {
		return by, err
	}
	if !by.Active || !by.Role.Covers(rights.Operator) {
		return by, fault.New(fault.Denied, "owner_may_not", by.Name+", for whom the feed acts, may not load any longer").
			Mended("Set the feed up again as somebody who may.")
	}
	return by, nil
}

// SendToFeed takes a file that another program sends.
func (s *Service) SendToFeed(ctx context.Context, f store.Feed, name string, body io.Reader, bytes int64) (store.FeedFile, error) {
	none := store.FeedFile{}
	doc := f.Document.V
	switch {
	case doc.Place.Kind != feed.Sent:
		return none, fault.New(fault.Conflict, "not_sent_here", "this feed fetches its files itself").With(f.Name)
	case f.Paused:
		return none, fault.New(fault.Conflict, "feed_paused", "the feed is paused").With(f.Name).Mended("Send it again when it goes on.")
	case !doc.Takes(name):
		return none, fault.New(fault.Invalid, "not_taken", "the feed takes no files of this name").With(name).Mended("Names look like " + doc.Files + ".")
	}
	taken, err := s.store.FeedFiles(ctx, f.ID, 0)
	if err != nil {
		return none, err
	}
	busy := func(x store.FeedFile) bool { return x.EndedAt == nil && x.State != store.FeedPassedOver }
	if n := slices.IndexFunc(taken, busy); n >= 0 {
		return none, fault.New(fault.Conflict, "feed_busy", "a file of the feed has not ended: "+string(taken[n].State)).With(taken[n].Name).
			Mended("Send it again when that one is loaded.")
	}
	source, err := s.store.SaveSource(ctx, cleanName(name), body, bytes, s.opt.MostBytes)
	if err != nil {
		return none, err
	}
	r := store.FeedRun{}
	ok, err := s.takeSource(ctx, f, &r, places.File{Name: cleanName(name), Modified: time.Now()}, source, taken)
	if err != nil || !ok {
		if dropped := s.store.DropSource(context.WithoutCancel(ctx), source); err == nil {
			err = dropped
		}
		if err != nil {
			return none, err
		}
		return none, fault.New(fault.Conflict, "came_before", "this content came before, and is loaded once").With(name)
	}
	list, err := s.store.FeedFiles(ctx, f.ID, 1)
	if err != nil {
		return none, err
	}
	return list[0], nil
}

// goOnWithFile goes on with the file that an import came from, when a feed has brought
// it and nothing runs on it.
func (s *Service) goOnWithFile(ctx context.Context, importID int64) error {
	_, _, ok, err := s.store.FeedFileOf(ctx, importID)
	if err != nil || !ok {
		return err
	}
	return s.store.WithFeedFile(ctx, importID, func() error { return s.goOn(ctx, importID) })
}

func (s *Service) goOn(ctx context.Context, importID int64) error {
	for range 5 {
		x, f, ok, err := s.store.FeedFileOf(ctx, importID)
		if err != nil || !ok {
			return err
		}
		i, err := s.store.ImportAnywhere(ctx, importID)
		if err != nil || i.Work != "" {
			return err // its end goes on with this
		}
		next, err := s.nextOf(byFeed(ctx, f), f, x, i)
		if err != nil || !next {
			return err
		}
	}
	return nil
}

// nextOf does the next thing with a file; next tells whether there may be more to do.
func (s *Service) nextOf(ctx context.Context, f store.Feed, x store.FeedFile, i store.Import) (next bool, err error) {
	wait := func(bound, why string) (bool, error) {
		return false, s.waits(ctx, f, x, i, []feed.Breach{{Bound: bound, Says: why}})
	}
	troubled := func(err error) (bool, error) {
		t := s.troubleOf(err, i.ID)
		return wait(t.Code, strings.TrimSuffix(t.Message, ".")+". "+t.Mend)
	}
	switch x.State {
	case store.FeedReading:
		if i.Trouble.V != nil {
			return wait(i.Trouble.V.Code, i.Trouble.V.Message)
		}
		return s.store.MoveFeedFile(ctx, x, store.FeedChecking, nil, i.Rows, nil)
	case store.FeedChecking:
		switch {
		case i.Trouble.V != nil:
			return wait(i.Trouble.V.Code, i.Trouble.V.Message)
		case i.State == life.Ready:
			return s.judge(ctx, f, x, i)
		case i.State != life.Open:
			return wait("changed", "somebody has worked on it meanwhile")
		}
		if err := s.checkForFeed(ctx, f, i); err != nil {
			return troubled(err)
		}
		return false, nil
	case store.FeedLoading:
		switch i.State {
		case life.Loaded:
			return false, s.loadedByFeed(ctx, f, x, i)
		case life.Ready:
			by, err := s.ownerOf(ctx, f)
			if err == nil {
				err = s.Load(ctx, i, LoadRequest{}, by)
			}
			if err != nil {
				return troubled(err)
			}
			return false, nil
		}
		why := "the load is " + string(i.State)
		if i.Trouble.V != nil {
			why += ": " + i.Trouble.V.Message
		}
		return wait("load", why)
	case store.FeedWaiting: // a person has gone on with it
		switch i.State {
		case life.Loaded, life.Undone:
			return false, s.loadedByFeed(ctx, f, x, i)
		case life.Closed, life.Discarded:
			to := store.FeedRefused
			if i.Written {
				to = store.FeedLoaded
			}
			_, err := s.store.MoveFeedFile(ctx, x, to, x.Reasons.V, i.Rows, nil)
			return false, err
		}
	}
	return false, nil
}

// checkForFeed sets an import up by the routine of its feed and has it checked.
func (s *Service) checkForFeed(ctx context.Context, f store.Feed, i store.Import) error {
	by, err := s.ownerOf(ctx, f)
	if err != nil {
		return err
	}
	if err := s.UseRoutine(ctx, i, f.Document.V.Routine, 0, by); err != nil {
		return err
	}
	if i, err = s.store.Import(ctx, i.Workspace, i.ID); err != nil {
		return err
	}
	return s.Check(ctx, i, by)
}

// judge loads a file whose check has come to an end within the bounds; otherwise it
// waits for a person.
func (s *Service) judge(ctx context.Context, f store.Feed, x store.FeedFile, i store.Import) (bool, error) {
	if again, err := s.recall(ctx, f, i); err != nil || again {
		return false, err // the end of its check goes on with this
	}
	found, err := s.foundIn(ctx, f, i)
	if err != nil {
		return false, err
	}
	breaches := f.Document.V.Bounds.Judge(found)
	if x.Try {
		says := "it was only tried: within its bounds it would have been loaded"
		if len(breaches) > 0 {
			says = "it was only tried: it would have waited for a person"
		}
		breaches = append([]feed.Breach{{Bound: "tried", Says: says}}, breaches...)
	}
	if len(breaches) > 0 {
		return false, s.waits(ctx, f, x, i, breaches)
	}
	return s.store.MoveFeedFile(ctx, x, store.FeedLoading, nil, i.Rows, nil)
}

// recall answers what is asked about rows that say just what those did about which a
// person was asked at an earlier file, and has the file checked again.
func (s *Service) recall(ctx context.Context, f store.Feed, i store.Import) (again bool, err error) {
	if t := i.Totals.V; t == nil || t.Verdicts[string(verdict.Ask)]+t.Verdicts[string(verdict.Hold)] == 0 {
		return false, nil
	}
	files, err := s.store.FeedFiles(ctx, f.ID, 0)
	if err != nil {
		return false, err
	}
	var before []int64
	for _, x := range files {
		if x.Import != nil && *x.Import != i.ID {
			before = append(before, *x.Import)
		}
	}
	by, err := s.ownerOf(ctx, f)
	if err != nil {
		return false, err
	}
	n, err := s.answering(ctx, i, by, "as before", func(ctx context.Context, tx pgx.Tx, now store.Import) (int64, error) {
		n, err := s.room.RecallAnswers(ctx, tx, now, before, by.ID)
		if err == nil && n == 0 {
			return 0, errNothingRecalled
		}
		return n, err
	})
	if errors.Is(err, errNothingRecalled) {
		return false, nil
	}
	if err != nil || n == 0 {
		return false, err
	}
	if i, err = s.store.Import(ctx, i.Workspace, i.ID); err != nil {
		return false, err
	}
	return true, s.Check(ctx, i, by)
}

// errNothingRecalled takes back an act that has nothing to do.
var errNothingRecalled = errors.New("no earlier answer is about these rows")

// foundIn measures what the check of a file has come to.
func (s *Service) foundIn(ctx context.Context, f store.Feed, i store.Import) (feed.Found, error) {
	found := feed.Found{Rows: i.Rows}
	if i.Totals.V != nil {
		found.Verdicts = i.Totals.V.Verdicts
		for _, d := range i.Totals.V.Drafts {
			found.Removes += d.Removes()
		}
	}
	saved, err := s.store.Routine(ctx, f.Workspace, f.Document.V.Routine)
	if err != nil {
		return found, err
	}
	c, err := s.store.Catalog(ctx, f.Workspace)
	if err != nil {
		return found, err
	}
	rec := against(c, saved, i, suggest.NewView(i.Columns.V))
	for _, m := range rec.Missing {
		if m.Now == "" {
			found.Missing = append(found.Missing, m.Column)
		}
	}
	found.Other = rec.New
	for _, v := range newValues(saved.Document.V, c, i) {
		found.Values = append(found.Values, v.Column+": "+v.Text)
	}
	for _, name := range i.Routine.V.TypeNames() {
		n, err := s.store.CountChosen(ctx, f.Workspace, name, store.RecordFilter{})
		if err != nil {
			return found, err
		}
		found.Records += n
	}
	files, err := s.store.FeedFiles(ctx, f.ID, 0)
	if n := slices.IndexFunc(files, func(x store.FeedFile) bool { return x.State == store.FeedLoaded }); n >= 0 {
		found.Last = files[n].Rows
	}
	return found, err
}

// waits lets a file wait for a person.
func (s *Service) waits(ctx context.Context, f store.Feed, x store.FeedFile, i store.Import, why []feed.Breach) error {
	_, err := s.store.MoveFeedFile(ctx, x, store.FeedWaiting, why, i.Rows, func(tx pgx.Tx) error {
		return aboutFile(ctx, tx, f, store.Waits, i, "waits for a person", why)
	})
	s.wakeUp()
	return err
}

// loadedByFeed ends a file that was loaded.
func (s *Service) loadedByFeed(ctx context.Context, f store.Feed, x store.FeedFile, i store.Import) error {
	_, err := s.store.MoveFeedFile(ctx, x, store.FeedLoaded, x.Reasons.V, i.Rows, func(tx pgx.Tx) error {
		return aboutFile(ctx, tx, f, store.Ended, i, "was loaded", nil)
	})
	if err == nil && x.State == store.FeedWaiting {
		err = errors.Join(s.learn(ctx, f, i), s.room.RememberAnswers(ctx, i))
	}
	s.wakeUp()
	return err
}

// learn teaches the routine of a feed the words whose meaning a person has said at a
// file that waited, so that they hold for the next.
func (s *Service) learn(ctx context.Context, f store.Feed, i store.Import) error {
	saved, err := s.store.Routine(ctx, f.Workspace, f.Document.V.Routine)
	if err != nil || i.Routine.V == nil {
		return err
	}
	taught, changed := saved.Document.V.Taught(*i.Routine.V)
	if !changed {
		return nil
	}
	_, err = s.SaveRoutine(ctx, f.Workspace, taught, saved.Version, store.Person{ID: i.MadeBy})
	return err
}

// FeedSetting is what a person sets of a feed.
type FeedSetting struct {
	Document *feed.Feed
	Secret   *string // a password or a private key; blank takes it away
	Paused   *bool
	Trust    bool // the host may show another key
}

// SetFeed makes a feed or changes it.
func (s *Service) SetFeed(ctx context.Context, workspace, name string, version int, set FeedSetting, by store.Person) error {
	change := store.FeedChange{Document: set.Document, Paused: set.Paused}
	if set.Document != nil {
		set.Document.Name = name
		if err := set.Document.Check(); err != nil {
			return err
		}
		if _, err := s.store.Routine(ctx, workspace, set.Document.Routine); err != nil {
			return err
		}
		if was, err := s.store.Feed(ctx, workspace, name); err == nil && elsewhere(was.Document.V.Place, set.Document.Place) {
			// A password goes to no other host than that which it was given for.
			none := ""
			change.HostKey, change.Secret = &none, &none
		}
	}
	if set.Secret != nil {
		sealed := ""
		if *set.Secret != "" {
			var err error
			if sealed, err = s.opt.Secrets.Seal(*set.Secret, forFeed(workspace, name)); err != nil {
				return err
			}
		}
		change.Secret = &sealed
	}
	if set.Trust {
		none := ""
		change.HostKey = &none
	}
	return s.store.SetFeed(ctx, workspace, name, version, change, by.ID)
}

// elsewhere reports whether two places are not on the same host.
func elsewhere(a, b feed.Place) bool {
	return a.Kind != b.Kind || a.Host != b.Host || a.Port != b.Port || a.User != b.User || a.URL != b.URL
}

// RemoveFeed forgets a feed; its imports stay.
func (s *Service) RemoveFeed(ctx context.Context, workspace, name string, by store.Person) error {
	return s.store.RemoveFeed(ctx, workspace, name, by.ID)
}

// AskFeed has a feed look at once; to try loads nothing.
func (s *Service) AskFeed(ctx context.Context, workspace, name string, try bool, by store.Person) error {
	if err := s.store.AskFeed(ctx, workspace, name, try, by.ID); err != nil {
		return err
	}
	s.wakeUp()
	return nil
}

// wakeUp lets the upkeep look for feeds now.
func (s *Service) wakeUp() {
	select {
	case s.wake <- struct{}{}:
	default: // it will
	}
}

// ChangeKey encrypts the passwords of other systems with the first of the service's keys;
// it gives how many.
func (s *Service) ChangeKey(ctx context.Context, by store.Person) (int, error) {
	return s.store.Reseal(ctx, by.ID, func(table, workspace, name, sealed string) (string, error) {
		purpose := forFeed(workspace, name)
		if table == "hooks" {
			purpose = forHook(workspace, name)
		}
		plain, err := s.opt.Secrets.Open(sealed, purpose)
		if err != nil {
			return "", err
		}
		return s.opt.Secrets.Seal(plain, purpose)
	})
}
