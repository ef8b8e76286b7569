// Package work takes an import from state to state: reading, check and load
// run as jobs over one queue in the database, in any service process. It uses
// the core and the store, and knows no face.
package work

import (
	"cmp"
	"context"
	"fmt"
	"io"
	"log/slog"
	"path"
	"slices"
	"strings"
	"sync"
	"time"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
	"uchi/internal/core/rights"
	"uchi/internal/core/secret"
	"uchi/internal/core/sheet"
	"uchi/internal/core/suggest"
	"uchi/internal/core/verdict"
	"uchi/internal/mail"
	"uchi/internal/places"
	"uchi/internal/staging"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"go.opentelemetry.io/otel/trace"
)

// Options set up a service process.
type Options struct {
	Process   string         // a name that stays the same when the process starts again
	Workers   int            // jobs at once in this process
	MostBytes int64          // largest source
	AheadFrom int64          // from how many bytes of a source on its rows are typed while they are read; 0 is the usual
	Limits    sheet.Limits   // of cells and rows
	Places    places.Options // what feeds may reach
	Secrets   secret.Box     // keeps the passwords of other systems
	Mail      *mail.Server   // by which notices go out; nil for none
	MailRows  int            // most held rows that hang on a mail; 0 for none
	PublicURL string         // where people find the console, for links in mails
	Log       *slog.Logger
	Traces    trace.TracerProvider // where spans of runs go; nil for nowhere
}

// Service runs imports.
type Service struct {
	store *store.Store
	room  *staging.Room
	queue *river.Client[pgx.Tx]
	opt   Options
	ended endings
	// imports that were made ready for mending, by what holds, and record types that are being made ready
	ready sync.Map
	looks chan struct{} // of feeds, so many at once
	wake  chan struct{} // a feed is to look now, or an export to be written
	// exporting is held while this process writes an export.
	exporting sync.Mutex
	// copying is held while this process fills a workspace.
	copying sync.Mutex
	// indexing is held while this process makes indexes.
	indexing sync.Mutex
	stop     context.CancelFunc
	asides   sync.WaitGroup
	aside    func(f func(ctx context.Context)) // does what nobody waits for, until the service stops
	done     chan struct{}
}

// mostLooks is how many feeds look at once.
const mostLooks = 2

// quiet passes on the warnings of the job queue and keeps its chatter back.
func quiet(log *slog.Logger) *slog.Logger {
	return slog.New(atLeast{log.Handler(), slog.LevelWarn})
}

type atLeast struct {
	slog.Handler
	level slog.Level
}

// WithAttrs implements slog.Handler.
func (h atLeast) WithAttrs(a []slog.Attr) slog.Handler {
	return atLeast{h.Handler.WithAttrs(a), h.level}
}

// WithGroup implements slog.Handler.
func (h atLeast) WithGroup(name string) slog.Handler {
	return atLeast{h.Handler.WithGroup(name), h.level}
}

// Enabled implements slog.Handler.
func (h atLeast) Enabled(_ context.Context, l slog.Level) bool { return l >= h.level }

// Times of the service's own upkeep.
const (
	beatEvery   = 5 * time.Second
	silentAfter = 20 * time.Second // a process that shows no sign of life for so long is taken for dead
	lostAfter   = 30 * time.Second // a run without a job is taken for lost
	cleanEvery  = 10 * time.Minute
)

// New prepares a service process; Start begins the work.
func New(st *store.Store, room *staging.Room, opt Options) (*Service, error) {
	s := &Service{store: st, room: room, opt: opt, done: make(chan struct{}), looks: make(chan struct{}, mostLooks),
		wake:  make(chan struct{}, 1),
		aside: func(func(context.Context)) {}} // until it is started
	s.opt.AheadFrom = cmp.Or(opt.AheadFrom, leastAhead)
	workers := river.NewWorkers()
	if err := river.AddWorkerSafely(workers, &worker{service: s}); err != nil {
		return nil, fmt.Errorf("prepare jobs: %w", err)
	}
	queue, err := river.NewClient(riverpgxv5.New(st.Pool()), &river.Config{
		ID: opt.Process, Workers: workers, Logger: quiet(opt.Log),
		Queues:               map[string]river.QueueConfig{river.QueueDefault: {MaxWorkers: opt.Workers}},
		FetchCooldown:        10 * time.Millisecond,
		FetchPollInterval:    500 * time.Millisecond,
		JobTimeout:           -1,             // a load takes as long as it takes
		RescueStuckJobsAfter: 24 * time.Hour, // the heartbeat takes over the runs of dead processes long before
	})
	if err != nil {
		return nil, fmt.Errorf("prepare jobs: %w", err)
	}
	s.queue = queue
	return s, nil
}

// Start takes up what this process left behind when it last ended, and works.
func (s *Service) Start(ctx context.Context) error {
	if err := s.store.Beat(ctx, s.opt.Process); err != nil {
		return fmt.Errorf("first heartbeat: %w", err)
	}
	if err := s.takeOver(ctx, s.opt.Process); err != nil {
		return err
	}
	if err := s.store.FreeFeeds(ctx, s.opt.Process, silentAfter); err != nil {
		return err
	}
	living, stop := context.WithCancel(ctx)
	s.stop, s.aside = stop, func(f func(ctx context.Context)) { s.asides.Go(func() { f(living) }) }
	if err := s.queue.Start(ctx); err != nil {
		stop()
		return fmt.Errorf("start jobs: %w", err)
	}
	go s.upkeep(living)
	return nil
}

func (s *Service) takeOver(ctx context.Context, own string) error {
	taken, err := s.store.TakeOver(ctx, own, silentAfter, s.enqueue)
	if err != nil {
		return err
	}
	if taken > 0 {
		s.opt.Log.Info("took runs over", "runs", taken)
	}
	return nil
}

// Stop ends the work: runs stop between two steps and go on at the next start.
func (s *Service) Stop(ctx context.Context) error {
	s.stop()
	<-s.done
	defer s.asides.Wait()
	return s.queue.StopAndCancel(ctx)
}

// jobArgs names the run that a job does; what is to be done stands in the run.
type jobArgs struct {
	Import int64 `json:"import"`
	Run    int64 `json:"run"`
}

// Kind implements river.JobArgs.
func (jobArgs) Kind() string { return "import" }

// mostAttempts is how often a job is tried again after errors that may pass.
const mostAttempts = 20

func (s *Service) enqueue(ctx context.Context, tx pgx.Tx, r store.Run) error {
	_, err := s.queue.InsertTx(ctx, tx, jobArgs{Import: r.Import, Run: r.ID}, &river.InsertOpts{MaxAttempts: mostAttempts})
	if err != nil {
		return fmt.Errorf("enqueue: %w", err)
	}
	return nil
}

// Upload is a source that arrives.
type Upload struct {
	Workspace string
	FileName  string
	Into      string // record type, empty to have it suggested
	Body      io.Reader
	Bytes     int64 // announced length, -1 when unknown
	Reading   sheet.Reading
	Routine   *mapping.Routine
	AtOnce    bool // it is to be checked as soon as it is read
	By        store.Person
}

// Upload stores a source and makes the import that reads it.
func (s *Service) Upload(ctx context.Context, u Upload) (store.Import, error) {
	c, err := s.store.Catalog(store.Whole(ctx), u.Workspace)
	if err != nil {
		return store.Import{}, err
	}
	if u.Into != "" {
		if _, err := c.MustType(u.Into); err != nil {
			return store.Import{}, err
		}
	}
	if err := u.Reading.Check(); err != nil {
		return store.Import{}, err
	}
	if u.Routine != nil {
		if err := u.Routine.Check(c, nil); err != nil {
			return store.Import{}, err
		}
	}
	name := cleanName(u.FileName)
	source, err := s.store.SaveSource(ctx, name, u.Body, u.Bytes, s.opt.MostBytes)
	if err != nil {
		return store.Import{}, err
	}
	id, err := s.store.AddImport(ctx, store.NewImport{Workspace: u.Workspace, Name: name, Source: source, Into: u.Into,
		Reading: u.Reading, Routine: u.Routine, AtOnce: u.AtOnce, By: u.By.ID}, s.enqueue)
	if err != nil {
		return store.Import{}, err
	}
	return s.store.Import(ctx, u.Workspace, id)
}

// cleanName keeps the last part of a file's name, without control characters.
func cleanName(name string) string {
	name = path.Base(strings.ReplaceAll(name, `\`, "/"))
	name = strings.Map(func(r rune) rune {
		if r < ' ' || r == 0x7f {
			return -1
		}
		return r
	}, strings.ToValidUTF8(name, "?"))
	if name == "" || name == "." || name == "/" {
		return "pasted.csv"
	}
	return fault.Cut(name, 200)
}

// act does something with an import that begins no run of its own accord.
func (s *Service) act(ctx context.Context, i store.Import, event life.Event, by store.Person, detail string,
	change func(ctx context.Context, tx pgx.Tx, i store.Import) error) error {
	return s.store.Act(ctx, i.Workspace, i.ID, store.Act{Event: event, By: by, Detail: detail, Enqueue: s.enqueue,
		Change: change})
}

// actRun does something with an import that begins a run which is about some
// rows, other runs, or has a policy.
func (s *Service) actRun(ctx context.Context, i store.Import, event life.Event, run store.Run, by store.Person,
	change func(ctx context.Context, tx pgx.Tx, i store.Import) error) error {
	return s.store.Act(ctx, i.Workspace, i.ID, store.Act{Event: event, By: by, Enqueue: s.enqueue, Run: run,
		Change: change})
}

// SetRoutine changes the mapping and the policies of an import. The version is
// that of the routine which the change was made on: when somebody else was
// faster it is refused. Version 0 changes whatever is there. What creates missing records
// gets drafts for them.
func (s *Service) SetRoutine(ctx context.Context, i store.Import, r mapping.Routine, version int,
	by store.Person) error {
	if err := store.OnVersion(version, i.RoutineVersion, i.Name); err != nil {
		return err // said before anything that is wrong with it, and again below
	}
	c, err := s.store.Catalog(store.Whole(ctx), i.Workspace)
	if err != nil {
		return err
	}
	if r, err = r.Renamed(c).Creating(c, i.Columns.V); err != nil {
		return err
	}
	if err := mayChange(i, r, c, by); err != nil {
		return err
	}
	if _, err := mapping.NewPlan(r, c, i.Columns.V); err != nil {
		return err
	}
	return s.act(ctx, i, life.ChangeRoutine, by, "", func(ctx context.Context, tx pgx.Tx, now store.Import) error {
		if err := store.OnVersion(version, now.RoutineVersion, now.Name); err != nil {
			return err
		}
		if err := mayMap(now, r); err != nil {
			return err
		}
		return store.SetRoutine(ctx, tx, now.ID, r)
	})
}

// SetReading changes how the source is read, and has it read again. After rows
// were loaded the rows stay what they are; how their cells are understood may
// still change.
func (s *Service) SetReading(ctx context.Context, i store.Import, r sheet.Reading, by store.Person) error {
	if err := r.Check(); err != nil {
		return err
	}
	if err := MustSee(i); err != nil {
		return err
	}
	return s.act(ctx, i, life.ChangeReading, by, "", func(ctx context.Context, tx pgx.Tx, now store.Import) error {
		if err := mayRead(now, r); err != nil {
			return err
		}
		return store.SetReading(ctx, tx, now.ID, r)
	})
}

// Check has the import checked.
func (s *Service) Check(ctx context.Context, i store.Import, by store.Person) error {
	return s.act(ctx, i, life.Check, by, "", func(ctx context.Context, tx pgx.Tx, now store.Import) error {
		plan, _, err := s.planOf(ctx, now)
		if err != nil {
			return err
		}
		return plan.CheckRules()
	})
}

// writtenSince says that records were written after the check of an import which
// finds them by likeness: rows may be like them now. Keys are looked up again as
// the load goes.
func (s *Service) writtenSince(ctx context.Context, i store.Import) error {
	plan, _, err := s.planOf(ctx, i)
	if err != nil {
		return err
	}
	alike := slices.ContainsFunc(plan.Drafts, func(dp *mapping.DraftPlan) bool {
		return slices.ContainsFunc(dp.Rules, func(r catalog.MatchRule) bool { return len(r.Alike) > 0 })
	})
	if !alike {
		return nil
	}
	writes, err := s.store.Writes(ctx, i.Workspace, i.Routine.V.TypeNames())
	if err != nil {
		return err
	}
	if writes != i.Writes {
		return fault.New(fault.Conflict, "written_since_check", "records were written after the check, and rows "+
			"may be like them now").Mended("Check again.")
	}
	return nil
}

// LoadRequest says which verdicts are to be carried out, and when the load gives
// way; the zero value carries out all, and what cannot be loaded is held.
type LoadRequest struct {
	Choice staging.Choice
	Policy mapping.LoadPolicy
}

// Load has the verdicts carried out, by the policy of the routine when none is given.
// What a policy forbids by what the check has
// found already is refused before anything is written.
func (s *Service) Load(ctx context.Context, i store.Import, req LoadRequest, by store.Person) error {
	if r := i.Routine.V; req.Policy == (mapping.LoadPolicy{}) && r != nil && r.Load != nil {
		req.Policy = *r.Load
	}
	if err := life.Allows(i.Now(), life.Load); err != nil {
		return err
	}
	run := store.Run{Policy: store.JSON[mapping.LoadPolicy]{V: req.Policy}}
	verdicts := map[string]int64{}
	if i.Totals.V != nil {
		verdicts = i.Totals.V.Verdicts
	}
	if !req.Choice.All() && i.Totals.V != nil {
		chosen, err := s.Choose(ctx, i, req.Choice)
		if err != nil {
			return err
		}
		if chosen.Rows == 0 {
			return fault.New(fault.Invalid, "no_such_rows",
				"there are no such rows to be loaded").With(sayRows(req.Choice.Rows)).Mended("Choose rows that are checked and not yet loaded.")
		}
		run.Only, verdicts = &chosen.Only, chosen.Verdicts
	}
	if err := allowed(req.Policy, verdicts); err != nil {
		return err
	}
	return s.actRun(ctx, i, life.Load, run, by, func(ctx context.Context, tx pgx.Tx, now store.Import) error {
		if err := s.mayWrite(ctx, now, by); err != nil {
			return err
		}
		if err := s.needsYes(ctx, now, by); err != nil {
			return err
		}
		if err := s.writtenSince(ctx, now); err != nil {
			return err
		}
		if run.Only != nil && (now.CheckRun == nil || i.CheckRun == nil || *now.CheckRun != *i.CheckRun ||
			now.Digest != i.Digest) {
			return fault.New(fault.Conflict, "checked_meanwhile",
				"the import was checked again meanwhile").Mended("Choose the rows again.")
		}
		if now.RoutineSuggested { // nobody has chosen anything
			return nil
		}
		for _, d := range now.Routine.V.Drafts {
			chosen := suggest.Memory{}
			for field, o := range d.Fields {
				if len(o.From) == 1 && o.Take == "" && o.When == nil {
					chosen[suggest.Key(o.From[0])] = field
				}
			}
			if err := store.Remember(ctx, tx, now.Workspace, d.Type, chosen); err != nil {
				return err
			}
		}
		return nil
	})
}

// allowed refuses a load that its policy would not let come to its end, as far as
// the check knows.
func allowed(p mapping.LoadPolicy, verdicts map[string]int64) error {
	held := verdicts[string(verdict.Hold)] + verdicts[string(verdict.Ask)]
	switch {
	case p.Whole && held > 0:
		return fault.Newf(fault.Conflict, string(life.NotAll),
			"all rows are to be loaded or none, and %d are held or asked about", held).
			Mended("Mend or answer them, leave them out, or load what is good.")
	case p.PauseHeld > 0 && held >= p.PauseHeld:
		return fault.Newf(fault.Conflict, string(life.HeldUp),
			"%d rows are held or asked about, and the load is to pause at %d", held, p.PauseHeld).
			Mended("Mend or answer them, leave them out, or allow more.")
	}
	return nil
}

// Choose tells which rows a choice comes to, with those that they need.
func (s *Service) Choose(ctx context.Context, i store.Import, c staging.Choice) (staging.Chosen, error) {
	plan, cat, err := s.planOf(ctx, i)
	if err != nil {
		return staging.Chosen{}, err
	}
	return s.room.Choose(ctx, i, plan, cat, c)
}

// Do does what is about the import alone: pause, resume, stop, cancel, close and
// discard.
func (s *Service) Do(ctx context.Context, i store.Import, event life.Event, by store.Person) error {
	if err := s.act(ctx, i, event, by, "", nil); err != nil {
		return err
	}
	if event == life.Close || event == life.Discard {
		// What is staged goes with it; what became of its rows stays until its time,
		// with the cells, so that it can be looked at.
		keep := keptRuns(i)
		if event == life.Discard {
			keep = nil
		}
		if err := s.room.Drop(ctx, i.ID, keep...); err != nil {
			s.opt.Log.Warn("staging stays for now", "import", i.ID, "error", err)
		}
	}
	return nil
}

// Possible says of every act whether it is possible now for a person, and if not,
// why.
func (s *Service) Possible(ctx context.Context, i store.Import, by store.Person) []life.Act {
	acts := life.Possible(i.Now())
	for n := range acts {
		a := &acts[n]
		switch {
		case !by.Role.Covers(rights.Operator):
			a.Not = ErrRole(rights.Operator)
		case a.Act == life.Load && a.Not == nil:
			err := s.mayWrite(ctx, i, by)
			if err == nil {
				err = s.needsYes(ctx, i, by)
			}
			if err == nil {
				err = s.writtenSince(ctx, i)
			}
			if err != nil {
				a.Not, _ = fault.From(err)
			}
		}
	}
	return acts
}

// ErrRole says that something takes a role which the person does not have.
func ErrRole(need rights.Role) *fault.Error {
	return fault.Newf(fault.Denied, "role_too_low", "this takes the role %s", need).Mended("Ask an administrator.")
}

// troubleOf turns an error into what is kept with the import. Errors that are
// not faults are the service's own; their text goes to the log.
func (s *Service) troubleOf(err error, id int64) store.Trouble {
	if f, ok := fault.From(err); ok {
		return store.TroubleOf(f)
	}
	s.opt.Log.Error("work on an import failed", "import", id, "error", err)
	if f := store.Told(err); f != nil {
		return store.TroubleOf(f)
	}
	return store.Trouble{Code: "internal", Message: "the service could not do this: " + fault.Cut(err.Error(), 300),
		Mend: "Try again; if it happens again, the service's log says more."}
}
