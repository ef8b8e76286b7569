package work

import (
	"context"
	"errors"
	"io"
	"slices"
	"strings"
	"time"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/feed"
	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
	"uchi/internal/core/rights"
	"uchi/internal/core/sheet"
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
	err := fault.Safely(func() error { return s.lookInto(ctx, f, &r) })
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
func (s *Service) SendToFeed(ctx context.Context, f store.Feed, name string, body io.Reader,
	bytes int64) (store.FeedFile, error) {
	none := store.FeedFile{}
	doc := f.Document.V
	switch {
	case doc.Place.Kind != feed.Sent:
		return none, fault.New(fault.Conflict, "not_sent_here", "this feed fetches its files itself").With(f.Name)
	case f.Paused:
		return none, fault.New(fault.Conflict, "feed_paused",
			"the feed is paused").With(f.Name).Mended("Send it again when it goes on.")
	case !doc.Takes(name):
		return none, fault.New(fault.Invalid, "not_taken",
			"the feed takes no files of this name").With(name).Mended("Names look like " + strings.Join(patterns(doc),
			", ") + ".")
	}
	taken, err := s.store.FeedFiles(ctx, f.ID, 0)
	if err != nil {
		return none, err
	}
	busy := func(x store.FeedFile) bool { return x.EndedAt == nil && x.State != store.FeedPassedOver }
	if n := slices.IndexFunc(taken, busy); n >= 0 {
		return none, fault.New(fault.Conflict, "feed_busy", "a file of the feed has not ended: "+
			string(taken[n].State)).With(taken[n].Name).
			Mended("Send it again when that one is loaded.")
	}
	if turn := doc.Turn(namesTaken(taken)); doc.Set && doc.PartOf(name) != turn {
		return none, fault.New(fault.Conflict, "out_of_turn",
			"files of the feed come in turn, and another is due").With(name).
			Mended("Send first the one like " + doc.Parts()[turn].Files + ".")
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

// patterns lists the patterns of the names that a feed takes.
func patterns(doc feed.Feed) (list []string) {
	for _, p := range doc.Parts() {
		list = append(list, p.Files)
	}
	return list
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
		if err := s.checkForFeed(ctx, f, x, i); err != nil {
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

// checkForFeed sets an import up by the routine for its file and has it checked.
func (s *Service) checkForFeed(ctx context.Context, f store.Feed, x store.FeedFile, i store.Import) error {
	by, err := s.ownerOf(ctx, f)
	if err != nil {
		return err
	}
	if err := s.UseRoutine(ctx, i, f.Document.V.RoutineOf(x.Name), 0, by); err != nil {
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
	found, err := s.foundIn(ctx, f, x, i)
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
func (s *Service) foundIn(ctx context.Context, f store.Feed, file store.FeedFile, i store.Import) (feed.Found, error) {
	doc := f.Document.V
	found := feed.Found{Rows: i.Rows}
	if n := slices.IndexFunc(i.Notices.V, func(n sheet.Notice) bool { return n.Code == sheet.AnotherTable }); n >= 0 {
		found.Another = i.Notices.V[n].Row
	}
	if i.Totals.V != nil {
		found.Verdicts = i.Totals.V.Verdicts
		found.Removes = i.Totals.V.Removes()
	}
	saved, err := s.store.Routine(ctx, f.Workspace, doc.RoutineOf(file.Name))
	if err != nil {
		return found, err
	}
	c, err := s.store.Catalog(ctx, f.Workspace)
	if err != nil {
		return found, err
	}
	rec := against(c, saved, i, suggest.NewView(i.Columns.V).Among(c))
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
	like := func(x store.FeedFile) bool {
		return x.State == store.FeedLoaded && doc.PartOf(x.Name) == doc.PartOf(file.Name)
	}
	n := slices.IndexFunc(files, like)
	if n >= 0 {
		found.Last = files[n].Rows
	}
	found.Unlike = saidOf(unlike(c, i))
	if len(found.Unlike) > 0 && n >= 0 && files[n].Import != nil { // what a person has let pass once passes again
		before, err := s.store.Import(ctx, f.Workspace, *files[n].Import)
		if err != nil {
			return found, err
		}
		was := saidOf(unlike(c, before))
		found.Unlike = slices.DeleteFunc(found.Unlike, func(u string) bool { return slices.Contains(was, u) })
	}
	return found, err
}

// unlike finds the columns of an import whose cells are something else than what they are placed on.
func unlike(c catalog.Catalog, i store.Import) []suggest.Unlike {
	if i.Routine.V == nil {
		return nil
	}
	drafts := i.Routine.V.Drafts
	return suggest.NewView(i.Columns.V).Among(c).Unlike(targetsOf(c, drafts), drafts)
}

// targetsOf gives what the drafts of a routine are, as columns are compared with it.
func targetsOf(c catalog.Catalog, drafts []mapping.Draft) (list []suggest.Target) {
	for _, d := range drafts {
		t, _ := c.Type(d.Type)
		list = append(list, suggest.Target{Draft: d.Called(), Type: t})
	}
	return list
}

func saidOf(list []suggest.Unlike) (out []string) {
	for _, u := range list {
		out = append(out, u.Column+": "+u.Why)
	}
	return out
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
		err = errors.Join(s.learn(ctx, f, x, i), s.room.RememberAnswers(ctx, i))
	}
	s.wakeUp()
	return err
}

// learn teaches the routine of a feed the words whose meaning a person has said at a
// file that waited, so that they hold for the next.
func (s *Service) learn(ctx context.Context, f store.Feed, x store.FeedFile, i store.Import) error {
	saved, err := s.store.Routine(ctx, f.Workspace, f.Document.V.RoutineOf(x.Name))
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
func (s *Service) SetFeed(ctx context.Context, workspace, name string, version int, set FeedSetting,
	by store.Person) error {
	change := store.FeedChange{Document: set.Document, Paused: set.Paused}
	if set.Document != nil {
		set.Document.Name = name
		if err := set.Document.Check(); err != nil {
			return err
		}
		for _, p := range set.Document.Parts() {
			if _, err := s.store.Routine(ctx, workspace, p.Routine); err != nil {
				return err
			}
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
