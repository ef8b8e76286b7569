// Package work takes an import from state to state: reading, check and load
// run as jobs over one queue in the database, in any service process. It uses
// the core and the store, and knows no face.
package work

import (
	"context"
	"fmt"
	"io"
	"log/slog"
	"path"
	"slices"
	"strings"
	"time"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/core/suggest"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
)

// Options set up a service process.
type Options struct {
	Process   string       // a name that stays the same when the process starts again
	Workers   int          // jobs at once in this process
	MostBytes int64        // largest source
	Limits    sheet.Limits // of cells and rows
	Log       *slog.Logger
}

// Service runs imports.
type Service struct {
	store *store.Store
	queue *river.Client[pgx.Tx]
	opt   Options
	stop  context.CancelFunc
	done  chan struct{}
}

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

const (
	beatEvery   = 5 * time.Second
	silentAfter = 30 * time.Second
)

// New prepares a service process; Start begins the work.
func New(st *store.Store, opt Options) (*Service, error) {
	s := &Service{store: st, opt: opt, done: make(chan struct{})}
	workers := river.NewWorkers()
	if err := river.AddWorkerSafely(workers, &worker{service: s}); err != nil {
		return nil, fmt.Errorf("prepare jobs: %w", err)
	}
	queue, err := river.NewClient(riverpgxv5.New(st.Pool()), &river.Config{
		ID: opt.Process, Workers: workers, Logger: quiet(opt.Log),
		Queues:               map[string]river.QueueConfig{river.QueueDefault: {MaxWorkers: opt.Workers}},
		FetchCooldown:        20 * time.Millisecond,
		FetchPollInterval:    500 * time.Millisecond,
		JobTimeout:           -1,             // a load takes as long as it takes
		RescueStuckJobsAfter: 24 * time.Hour, // the heartbeat frees the jobs of dead processes long before
	})
	if err != nil {
		return nil, fmt.Errorf("prepare jobs: %w", err)
	}
	s.queue = queue
	return s, nil
}

// Start frees what this process left behind when it last ended, and works.
func (s *Service) Start(ctx context.Context) error {
	if err := s.store.Beat(ctx, s.opt.Process); err != nil {
		return fmt.Errorf("first heartbeat: %w", err)
	}
	freed, err := s.store.FreeJobs(ctx, s.opt.Process, silentAfter)
	if err != nil {
		return err
	}
	if freed > 0 {
		s.opt.Log.Info("took up jobs again", "jobs", freed)
	}
	if err := s.queue.Start(ctx); err != nil {
		return fmt.Errorf("start jobs: %w", err)
	}
	ctx, s.stop = context.WithCancel(ctx)
	go s.beat(ctx)
	return nil
}

func (s *Service) beat(ctx context.Context) {
	defer close(s.done)
	tick := time.NewTicker(beatEvery)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		if err := s.store.Beat(ctx, s.opt.Process); err != nil {
			s.opt.Log.Warn("heartbeat failed", "error", err)
			continue
		}
		if _, err := s.store.FreeJobs(ctx, "", silentAfter); err != nil {
			s.opt.Log.Warn("could not look for jobs of dead processes", "error", err)
		}
	}
}

// Stop ends the work: jobs stop between two chunks and go on at the next start.
func (s *Service) Stop(ctx context.Context) error {
	s.stop()
	<-s.done
	return s.queue.StopAndCancel(ctx)
}

// jobArgs names the import that a job works on; what is to be done stands in
// the import itself.
type jobArgs struct {
	Import int64 `json:"import"`
}

// Kind implements river.JobArgs.
func (jobArgs) Kind() string { return "import" }

func (s *Service) enqueue(ctx context.Context, tx pgx.Tx, id int64) error {
	_, err := s.queue.InsertTx(ctx, tx, jobArgs{Import: id}, &river.InsertOpts{MaxAttempts: 20})
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
	By        store.Person
}

// Upload stores a source and makes the import that reads it.
func (s *Service) Upload(ctx context.Context, u Upload) (store.Import, error) {
	c, err := s.store.Catalog(ctx, u.Workspace)
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
	id, err := s.store.AddImport(ctx, store.NewImport{Workspace: u.Workspace, Name: name, Source: source, Into: u.Into, Reading: u.Reading, Routine: u.Routine, By: u.By.ID}, s.enqueue)
	if err != nil {
		return store.Import{}, err
	}
	if err := s.store.Log(ctx, u.By.ID, u.Workspace, "upload", importSubject(id)); err != nil {
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

func importSubject(id int64) string { return fmt.Sprintf("import %d", id) }

// SetRoutine changes the mapping and the policies of an import.
func (s *Service) SetRoutine(ctx context.Context, i store.Import, r mapping.Routine, by store.Person) error {
	c, err := s.store.Catalog(ctx, i.Workspace)
	if err != nil {
		return err
	}
	if _, err := mapping.NewPlan(r, c, i.Columns.V); err != nil {
		return err
	}
	if err := s.store.SetRoutine(ctx, i.Workspace, i.ID, r); err != nil {
		return err
	}
	return s.store.Log(ctx, by.ID, i.Workspace, "change routine", importSubject(i.ID))
}

func headers(i store.Import) []string {
	list := make([]string, 0, len(i.Columns.V))
	for _, c := range i.Columns.V {
		list = append(list, c.Header)
	}
	return list
}

// SetReading changes how the source is read, and has it read again.
func (s *Service) SetReading(ctx context.Context, i store.Import, r sheet.Reading, by store.Person) error {
	if err := r.Check(); err != nil {
		return err
	}
	if err := s.store.SetReading(ctx, i.Workspace, i.ID, r, s.enqueue); err != nil {
		return err
	}
	return s.store.Log(ctx, by.ID, i.Workspace, "change reading", importSubject(i.ID))
}

// Check has the import checked.
func (s *Service) Check(ctx context.Context, i store.Import, by store.Person) error {
	if i.Routine.V == nil {
		return fault.New(fault.Conflict, "no_mapping", "no column is mapped yet").Mended("Say into which record type the rows go.")
	}
	c, err := s.store.Catalog(ctx, i.Workspace)
	if err != nil {
		return err
	}
	if _, err := mapping.NewPlan(*i.Routine.V, c, i.Columns.V); err != nil {
		return err
	}
	from := []store.State{store.StateOpen, store.StateReady, store.StateLoaded, store.StateStopped}
	if err := s.store.Begin(ctx, i.Workspace, i.ID, from, store.StateChecking, store.BusyCheck, s.enqueue); err != nil {
		return err
	}
	return s.store.Log(ctx, by.ID, i.Workspace, "check", importSubject(i.ID))
}

// stale says whether the last check no longer tells what a load would do:
// somebody has answered since, or, where records are found by likeness,
// somebody has written records of the type.
func (s *Service) stale(ctx context.Context, i store.Import) error {
	if i.AnsweredAt != nil && i.CheckedAt != nil && i.AnsweredAt.After(*i.CheckedAt) {
		return fault.New(fault.Conflict, "answered_since_check", "questions were answered after the check").Mended("Check again, so that the answers count.")
	}
	plan, _, err := s.planOf(ctx, i)
	if err != nil {
		return err
	}
	alike := slices.ContainsFunc(plan.Drafts, func(dp *mapping.DraftPlan) bool {
		return slices.ContainsFunc(dp.Rules, func(r catalog.MatchRule) bool { return len(r.Alike) > 0 })
	})
	if !alike {
		return nil // keys are looked up again as the load goes
	}
	writes, err := s.store.Writes(ctx, i.Workspace, i.Routine.V.TypeNames())
	if err != nil {
		return err
	}
	if writes != i.Writes {
		return fault.New(fault.Conflict, "written_since_check", "records were written after the check, and rows may be like them now").Mended("Check again.")
	}
	return nil
}

// Load has the verdicts carried out.
func (s *Service) Load(ctx context.Context, i store.Import, by store.Person) error {
	if i.State == store.StateReady {
		if err := s.stale(ctx, i); err != nil {
			return err
		}
	}
	if err := s.store.Begin(ctx, i.Workspace, i.ID, []store.State{store.StateReady}, store.StateLoading, store.BusyLoad, s.enqueue); err != nil {
		return err
	}
	for _, d := range i.Routine.V.Drafts {
		chosen := suggest.Memory{}
		for field, o := range d.Fields {
			if len(o.From) == 1 && o.Take == "" {
				chosen[suggest.Key(o.From[0])] = field
			}
		}
		if err := s.store.Remember(ctx, i.Workspace, d.Type, chosen); err != nil {
			return err
		}
	}
	return s.store.Log(ctx, by.ID, i.Workspace, "load", importSubject(i.ID))
}

// Resume goes on with a paused load.
func (s *Service) Resume(ctx context.Context, i store.Import, by store.Person) error {
	if err := s.store.Begin(ctx, i.Workspace, i.ID, []store.State{store.StatePaused}, store.StateLoading, store.BusyLoad, s.enqueue); err != nil {
		return err
	}
	return s.store.Log(ctx, by.ID, i.Workspace, "resume", importSubject(i.ID))
}

// Interrupt pauses or stops a load between two chunks.
func (s *Service) Interrupt(ctx context.Context, i store.Import, to store.State, by store.Person) error {
	if err := s.store.Interrupt(ctx, i.Workspace, i.ID, to); err != nil {
		return err
	}
	return s.store.Log(ctx, by.ID, i.Workspace, string(to), importSubject(i.ID))
}

// Discard gives an import up before its load.
func (s *Service) Discard(ctx context.Context, i store.Import, by store.Person) error {
	if err := s.store.Discard(ctx, i.Workspace, i.ID); err != nil {
		return err
	}
	return s.store.Log(ctx, by.ID, i.Workspace, "discard", importSubject(i.ID))
}

// Suggested is what the columns of an import seem to be.
type Suggested struct {
	Types   []suggest.TypeSuggestion
	Columns []suggest.Suggestion
	Drafts  []suggest.DraftSuggestion // record types that the rows seem to hold beside those that they become
	// Together is a set of types that takes clearly more of the columns; without
	// types there is none.
	Together suggest.Together
}

// Suggestions gives what the columns of an import seem to be, for a record type
// or, with none given, for the drafts that its rows make.
func (s *Service) Suggestions(ctx context.Context, i store.Import, typeName string) (Suggested, error) {
	var out Suggested
	c, err := s.store.Catalog(ctx, i.Workspace)
	if err != nil {
		return out, err
	}
	memory, err := s.memories(ctx, i.Workspace, c)
	if err != nil {
		return out, err
	}
	view := suggest.NewView(i.Columns.V)
	out.Types = view.Types(c, memory)
	drafts := []mapping.Draft{{Type: typeName}}
	if r := i.Routine.V; r != nil && (typeName == "" || typeName == i.Into) {
		drafts = r.Drafts
	} else if typeName == "" {
		return out, nil
	}
	var targets []suggest.Target
	for _, d := range drafts {
		t, err := c.MustType(d.Type)
		if err != nil {
			return out, err
		}
		target := suggest.Target{Type: t, Memory: memory(t.Name)}
		if len(drafts) > 1 {
			target.Draft = d.Called()
		}
		targets = append(targets, target)
	}
	out.Columns = view.Across(targets)
	out.Drafts = view.Further(c, targets, memory)
	out.Together, _ = view.Together(c, targets, memory)
	return out, nil
}

// memories reads what was chosen for headers before, of all record types.
func (s *Service) memories(ctx context.Context, workspace string, c catalog.Catalog) (func(typeName string) suggest.Memory, error) {
	all := map[string]suggest.Memory{}
	for _, t := range c.Types {
		var err error
		if all[t.Name], err = s.store.Memory(ctx, workspace, t.Name); err != nil {
			return nil, err
		}
	}
	return func(typeName string) suggest.Memory { return all[typeName] }, nil
}

// AddDraft lets the rows of an import make a further record: what is certain of
// its columns is placed, and the drafts of a row are linked.
func (s *Service) AddDraft(ctx context.Context, i store.Import, draft mapping.Draft, by store.Person) error {
	if i.Routine.V == nil {
		return fault.New(fault.Conflict, "no_mapping", "no column is mapped yet").Mended("Say into which record type the rows go.")
	}
	c, err := s.store.Catalog(ctx, i.Workspace)
	if err != nil {
		return err
	}
	if _, err := c.MustType(draft.Type); err != nil {
		return err
	}
	memory, err := s.memories(ctx, i.Workspace, c)
	if err != nil {
		return err
	}
	return s.SetRoutine(ctx, i, suggest.WithDraft(*i.Routine.V, c, draft, i.Columns.V, memory), by)
}

// troubleOf turns an error into what is kept with the import. Errors that are
// not faults are the service's own; their text goes to the log.
func (s *Service) troubleOf(err error, id int64) store.Trouble {
	if f, ok := fault.From(err); ok {
		return store.Trouble{Code: f.Code, Message: f.Message, Place: f.Place, Value: fault.Cut(f.Value, 200), Mend: f.Mend}
	}
	s.opt.Log.Error("work on an import failed", "import", id, "error", err)
	return store.Trouble{Code: "internal", Message: "the service could not do this: " + fault.Cut(err.Error(), 300), Mend: "Try again; if it happens again, the service's log says more."}
}
