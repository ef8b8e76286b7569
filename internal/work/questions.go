package work

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
	"uchi/internal/core/matching"
	"uchi/internal/core/verdict"
	"uchi/internal/staging"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
)

// Question is what a person is asked about a row, with everything to choose by:
// the row's values beside those of each candidate.
type Question struct {
	staging.AskedRow
	Type       catalog.RecordType
	Values     []RowValue // of the draft
	Candidates []CandidateRecord
}

// CandidateRecord is a candidate with its values.
type CandidateRecord struct {
	staging.Candidate
	Title  string
	Values map[string]string
}

// Question gives the question about one row: about the draft that is named, else
// the first that has no answer yet.
func (s *Service) Question(ctx context.Context, i store.Import, row int64, draft string) (Question, error) {
	var q Question
	list, err := s.room.Questions(ctx, i, staging.QuestionFilter{Row: row, Draft: draft}, 0, 1)
	if err != nil {
		return q, err
	}
	if len(list) == 0 {
		return q, fault.New(fault.NotFound, "no_question",
			"there is no question about this row").With(fmt.Sprint(row)).Mended("See the list of questions; a check may have settled it.")
	}
	q.AskedRow = list[max(0, slices.IndexFunc(list, func(a staging.AskedRow) bool { return a.Answer == nil }))]
	if q.Type, q.Values, err = s.namedRow(ctx, i, row, q.Draft); err != nil {
		return q, err
	}
	candidates, err := s.room.CandidatesOf(ctx, i, []int64{row})
	if err != nil {
		return q, err
	}
	for _, c := range candidates[staging.DraftOf{Row: row, Draft: q.Draft}] {
		out := CandidateRecord{Candidate: c}
		if c.Record != nil {
			r, err := s.store.Record(ctx, i.Workspace, q.Type.Name, q.Type.RecordID(*c.Record))
			if fault.Is(err, "unknown_record") {
				continue
			}
			if err != nil {
				return q, err
			}
			out.Title, out.Values = r.Title, shown(r)
		} else if c.OtherRow != nil {
			_, other, err := s.namedRow(ctx, i, *c.OtherRow, q.Draft)
			if err != nil {
				return q, err
			}
			out.Title, out.Values = fmt.Sprintf("Row %d", *c.OtherRow), map[string]string{}
			for _, v := range other {
				out.Values[v.Field.Name] = v.After
			}
		}
		q.Candidates = append(q.Candidates, out)
	}
	return q, nil
}

// namedRow gives the values of one draft of a row, with the titles of the records
// that its references lead to in the place of what the row says.
func (s *Service) namedRow(ctx context.Context, i store.Import, row int64, draft string) (catalog.RecordType,
	[]RowValue, error) {
	r, err := s.RowAsRecord(ctx, i, row)
	if err != nil {
		return catalog.RecordType{}, nil, err
	}
	d, ok := r.Draft(draft)
	if !ok {
		return catalog.RecordType{}, nil, fault.New(fault.NotFound, "unknown_draft",
			"the routine has no draft of this name").With(draft)
	}
	plan, _, err := s.planOf(ctx, i)
	if err != nil {
		return d.Type, nil, err
	}
	n := slices.IndexFunc(plan.Drafts, func(dp *mapping.DraftPlan) bool { return dp.Name == draft })
	links, err := s.room.RowLinks(ctx, i, plan, n, row)
	if err != nil {
		return d.Type, nil, err
	}
	for n := range d.Values {
		if l, ok := links[d.Values[n].Field.Name]; ok && l.Title != "" {
			d.Values[n].After = l.Title
		}
	}
	return d.Type, d.Values, nil
}

// shown gives a record's values with links by their titles.
func shown(r store.Record) map[string]string {
	out := map[string]string{}
	for k, v := range r.Values {
		out[k] = v
		if l, ok := r.Links[k]; ok && l.Title != "" {
			out[k] = l.Title
		}
	}
	return out
}

// Given is an answer as a person gives it.
type Given struct {
	Row      int64
	Draft    string // which of the row's drafts; the one that is asked about, or was answered before, when empty
	Choice   verdict.Choice
	Record   string   // id of the record, for take
	OtherRow int64    // or the earlier row
	Keep     []string // fields whose value in the record stays; nil is those that the row only writes otherwise
}

// Answer keeps answers, singly or many at once; the next check follows them.
func (s *Service) Answer(ctx context.Context, i store.Import, given []Given, by store.Person) (int64, error) {
	if i.Routine.V == nil {
		return 0, fault.New(fault.Conflict, "no_mapping", "no column is mapped yet")
	}
	types, err := s.draftTypes(ctx, i)
	if err != nil {
		return 0, err
	}
	var undrafted []int64
	for _, g := range given {
		if g.Draft == "" && len(types) > 1 {
			undrafted = append(undrafted, g.Row)
		}
	}
	asked, err := s.meantBy(ctx, i, undrafted)
	if err != nil {
		return 0, err
	}
	seen := map[staging.DraftOf]bool{}
	list := make([]store.Answer, 0, len(given))
	for n, g := range given {
		at := fault.Place{Path: fmt.Sprintf("answers[%d]", n), Row: g.Row}
		switch of := asked[g.Row]; {
		case g.Draft != "":
		case len(of) > 1 && g.Choice != verdict.ChooseLeaveOut:
			return 0, fault.New(fault.Invalid, "several_questions",
				"the row is asked about more than one of its records").At(at).With(strings.Join(of,
				", ")).Mended("Say which of them the answer is for.")
		case len(of) > 0:
			g.Draft = of[0]
		case len(types) > 1 && g.Choice != verdict.ChooseLeaveOut:
			return 0, fault.New(fault.Invalid, "several_records",
				"the row makes more than one record, and is asked about none").At(at).With(strings.Join(slices.Sorted(maps.Keys(types)),
				", ")).Mended("Say which of them the answer is for.")
		default:
			g.Draft = i.Routine.V.Drafts[0].Called()
		}
		t, ok := types[g.Draft]
		if !ok {
			return 0, fault.New(fault.Invalid, "unknown_draft", "the routine has no draft of this name").At(at).With(g.Draft)
		}
		if seen[staging.DraftOf{Row: g.Row, Draft: g.Draft}] {
			return 0, fault.New(fault.Invalid, "answered_twice",
				"there are two answers for one row").At(at).With(fmt.Sprint(g.Row)).Mended("Keep one of them.")
		}
		seen[staging.DraftOf{Row: g.Row, Draft: g.Draft}] = true
		a, err := readAnswer(t, g)
		if err != nil {
			if f, ok := fault.From(err); ok {
				return 0, f.At(at)
			}
			return 0, err
		}
		list = append(list, a)
	}
	if err := s.completeAnswers(ctx, i, types, list); err != nil {
		return 0, err
	}
	return s.answering(ctx, i, by, fmt.Sprint(len(list)),
		func(ctx context.Context, tx pgx.Tx, now store.Import) (int64, error) {
			return s.room.KeepAnswers(ctx, tx, now, list, by.ID)
		})
}

// meantBy gives the drafts of rows that an answer which names none can be for: those that are
// asked about, else those that were answered before.
func (s *Service) meantBy(ctx context.Context, i store.Import, rows []int64) (map[int64][]string, error) {
	asked, err := s.room.AskedOf(ctx, i, rows)
	if err != nil {
		return nil, err
	}
	rows = slices.DeleteFunc(rows, func(n int64) bool { return len(asked[n]) > 0 })
	if len(rows) == 0 {
		return asked, nil
	}
	given, err := s.store.AnswersOf(ctx, i.ID, rows)
	if err != nil {
		return nil, err
	}
	if asked == nil {
		asked = map[int64][]string{}
	}
	for _, a := range given {
		asked[a.Row] = append(asked[a.Row], a.Draft)
	}
	return asked, nil
}

// answering changes answers, and gives how many.
func (s *Service) answering(ctx context.Context, i store.Import, by store.Person, detail string,
	f func(ctx context.Context, tx pgx.Tx, now store.Import) (int64, error)) (n int64, err error) {
	err = s.act(ctx, i, life.Answer, by, detail, func(ctx context.Context, tx pgx.Tx, now store.Import) error {
		var err error
		n, err = f(ctx, tx, now)
		return err
	})
	return n, err
}

// draftTypes gives the record type of each draft of an import, by its name.
func (s *Service) draftTypes(ctx context.Context, i store.Import) (map[string]catalog.RecordType, error) {
	c, err := s.store.Catalog(store.Whole(ctx), i.Workspace)
	if err != nil {
		return nil, err
	}
	return i.Routine.V.Types(c)
}

// readAnswer reads what an answer says by itself.
func readAnswer(t catalog.RecordType, g Given) (store.Answer, error) {
	a := store.Answer{Row: g.Row, Draft: g.Draft, Choice: g.Choice, Keep: store.JSON[[]string]{V: g.Keep}}
	if !slices.Contains(verdict.Choices, g.Choice) {
		return a, fault.New(fault.Invalid, "unknown_choice",
			"a question cannot be answered so").With(string(g.Choice)).Mended("Answer one of: " + strings.Join(words(verdict.Choices), ", ") + ".")
	}
	for _, name := range g.Keep {
		if _, ok := t.Field(name); !ok {
			return a, fault.New(fault.Invalid, "unknown_field", "the record type "+t.Name+" has no such field").With(name)
		}
	}
	switch {
	case g.Choice != verdict.ChooseTake && (g.Record != "" || g.OtherRow > 0):
		return a, fault.New(fault.Invalid, "answer_contradicts", "only the answer take names a record or row").With(g.Record)
	case g.Record != "" && g.OtherRow > 0:
		return a, fault.New(fault.Invalid, "answer_contradicts", "an answer names a record or a row, not both").With(g.Record)
	case g.Record != "":
		id, err := t.ParseRecordID(g.Record)
		if err != nil {
			return a, err
		}
		a.Record = &id
	case g.OtherRow > 0:
		if g.OtherRow == g.Row {
			return a, fault.New(fault.Invalid, "answer_contradicts", "a row cannot repeat itself").With(fmt.Sprint(g.Row))
		}
		a.OtherRow = &g.OtherRow
	}
	return a, nil
}

// completeAnswers sees that the records named are there, takes the best
// candidate where none is named, and keeps what a row only writes otherwise
// unless the answer says what to keep. It asks the store for all answers at once.
func (s *Service) completeAnswers(ctx context.Context, i store.Import, types map[string]catalog.RecordType,
	list []store.Answer) error {
	var rows []int64
	named := map[string][]int64{}
	for _, a := range list {
		if a.Choice == verdict.ChooseTake {
			rows = append(rows, a.Row)
		}
		if a.Record != nil {
			named[a.Draft] = append(named[a.Draft], *a.Record)
		}
	}
	missing := map[string]map[int64]bool{}
	for draft, ids := range named {
		var err error
		if missing[draft], err = s.store.MissingRecords(ctx, i.Workspace, types[draft].Name, ids); err != nil {
			return err
		}
	}
	candidates, err := s.room.CandidatesOf(ctx, i, rows)
	if err != nil {
		return err
	}
	for n := range list {
		a := &list[n]
		if a.Choice != verdict.ChooseTake {
			continue
		}
		at := fault.Place{Path: fmt.Sprintf("answers[%d]", n), Row: a.Row}
		t := types[a.Draft]
		if a.Record != nil && missing[a.Draft][*a.Record] {
			return fault.New(fault.NotFound, "unknown_record",
				"there is no such "+strings.ToLower(t.Label)).At(at).With(t.RecordID(*a.Record))
		}
		offered := candidates[staging.DraftOf{Row: a.Row, Draft: a.Draft}]
		if a.Record == nil && a.OtherRow == nil {
			if len(offered) == 0 {
				return fault.New(fault.Invalid, "no_candidate",
					"there is nothing to take for this row").At(at).With(fmt.Sprint(a.Row)).Mended("Name the record by its id.")
			}
			a.Record, a.OtherRow = offered[0].Record, offered[0].OtherRow
		}
		if a.Keep.V != nil || a.Record == nil {
			continue
		}
		for _, c := range offered {
			if c.Record != nil && *c.Record == *a.Record {
				a.Keep = c.Alike
			}
		}
	}
	return nil
}

// AnswerMany answers all open questions that a filter chooses alike.
func (s *Service) AnswerMany(ctx context.Context, i store.Import, f staging.QuestionFilter, choice verdict.Choice,
	by store.Person) (int64, error) {
	if !slices.Contains(verdict.Choices, choice) {
		return 0, fault.New(fault.Invalid, "unknown_choice",
			"a question cannot be answered so").With(string(choice)).Mended("Answer one of: " + strings.Join(words(verdict.Choices), ", ") + ".")
	}
	return s.answering(ctx, i, by, "many: "+string(choice),
		func(ctx context.Context, tx pgx.Tx, now store.Import) (int64, error) {
			return s.room.AnswerQuestions(ctx, tx, now, f, choice, by.ID)
		})
}

// LeaveOut leaves out all rows that a filter chooses, which must name a verdict.
func (s *Service) LeaveOut(ctx context.Context, i store.Import, f staging.RowFilter, by store.Person) (int64, error) {
	v := verdict.Verdict(f.Verdict)
	if !slices.Contains([]verdict.Verdict{verdict.Create, verdict.Update, verdict.Delete, verdict.Same, verdict.Ask,
		verdict.Hold}, v) {
		return 0, fault.New(fault.Invalid, "unknown_verdict", "rows of this verdict cannot be left out").With(string(v))
	}
	if f.Value != "" { // how many rows go would tell whether it was guessed
		if err := MustSee(i); err != nil {
			return 0, err
		}
	}
	return s.answering(ctx, i, by, "leave out: "+string(v),
		func(ctx context.Context, tx pgx.Tx, now store.Import) (int64, error) {
			now.Veil = i.Veil
			return s.room.LeaveOut(ctx, tx, now, f, by.ID)
		})
}

// TakeBack forgets answers; with no rows given, all.
func (s *Service) TakeBack(ctx context.Context, i store.Import, rows []int64, by store.Person) (int64, error) {
	return s.answering(ctx, i, by, "taken back", func(ctx context.Context, tx pgx.Tx, now store.Import) (int64, error) {
		return store.TakeBack(ctx, tx, now.ID, rows)
	})
}

// Gone lists the children that are gone from the source by the last check, by their ids
// behind one: of one draft, or of the first that has any.
func (s *Service) Gone(ctx context.Context, i store.Import, draft string, after int64,
	limit int) ([]staging.GoneChild, error) {
	if i.Totals.V == nil {
		return nil, nil
	}
	plan, c, err := s.planOf(ctx, i)
	if err != nil {
		return nil, err
	}
	return s.room.Gone(ctx, i, plan, c, draft, after, limit)
}

// Tried is what a check would say, from a sample.
type Tried struct {
	Rows   int64 // that were looked at
	Of     int64 // that there are
	Totals verdict.Totals
}

// mostTried is how many rows a check that is only tried may look at.
const mostTried = 200_000

// Try works out what a changed routine would do, on a sample of about so many
// rows (0: all), without touching the last check. Many tries at once wait for
// each other; who cancels the import's work ends them.
func (s *Service) Try(ctx context.Context, i store.Import, r mapping.Routine, sample int64,
	by store.Person) (Tried, error) {
	out := Tried{Of: i.Rows}
	if i.Work == life.Reading || i.Rows == 0 {
		return out, fault.New(fault.Conflict, "import_busy",
			"the rows are not read yet").Mended("Wait until the source has been read.")
	}
	c, err := s.store.Catalog(store.Whole(ctx), i.Workspace)
	if err != nil {
		return out, err
	}
	r, plan, err := s.planWith(ctx, i, r, c)
	if err != nil {
		return out, err
	}
	i.Routine.V = &r
	part := staging.Part{}
	switch {
	case sample > 0 && plan.Grouped(): // rows that belong together stand together
		part.Most = sample
	case sample > 0:
		part.Every = max(1, i.Rows/sample)
	}
	if sample <= 0 && i.Rows > mostTried {
		return out, fault.New(fault.Invalid, "too_many_rows",
			fmt.Sprintf("so many rows are not tried but checked; at most %d",
				mostTried)).With(fmt.Sprint(i.Rows)).Mended("Try a sample, or check the import.")
	}
	err = s.room.Trying(ctx, func() error {
		return s.beside(ctx, i, by, func(ctx context.Context, run store.Run) error {
			k := s.room.NewCheck(run, i, plan, c)
			if err := s.typeRows(ctx, run, k, part); err != nil {
				return err
			}
			found, err := decideRows(ctx, k, plan)
			out.Totals = found.Totals
			return err
		})
	})
	out.Rows = out.Totals.Rows
	return out, err
}

// leastPairs is how many candidate pairs an estimate of weights needs.
const leastPairs = 500

// EstimateWeights finds the chances of a record type from the workspace's own
// records, without anybody saying which of them are the same.
func (s *Service) EstimateWeights(ctx context.Context, workspace, typeName string,
	by store.Person) (store.EstimatedWeights, error) {
	var w store.EstimatedWeights
	c, t, err := s.typeOf(ctx, workspace, typeName)
	if err != nil {
		return w, err
	}
	candidates, random, err := s.room.SamplePairs(ctx, workspace, c, t)
	if err != nil {
		return w, err
	}
	if len(candidates) < leastPairs {
		return w, fault.New(fault.Conflict, "too_few_records",
			fmt.Sprintf("there are too few records that are alike in anything: %d pairs, at least %d are needed",
				len(candidates), leastPairs)).Mended("Keep the default weights until there are more records.")
	}
	w.Pairs = int64(len(candidates))
	w.Weights.V, w.Share = matching.Estimate(candidates, random, matching.DefaultWeights())
	if err := s.store.SaveWeights(ctx, workspace, typeName, w, by.ID); err != nil {
		return w, err
	}
	w, _, err = s.store.Weights(ctx, workspace, typeName)
	return w, err
}

// ForgetWeights makes the default weights hold again.
func (s *Service) ForgetWeights(ctx context.Context, workspace, typeName string, by store.Person) error {
	return s.store.ForgetWeights(ctx, workspace, typeName, by.ID)
}
