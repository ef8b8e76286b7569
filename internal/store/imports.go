package store

import (
	"context"
	"database/sql/driver"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"uchi/internal/core/fault"
	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
	"uchi/internal/core/rights"
	"uchi/internal/core/sheet"
	"uchi/internal/core/verdict"

	"github.com/jackc/pgx/v5"
)

// JSON is a value kept in a jsonb column.
type JSON[T any] struct{ V T }

// Scan implements sql.Scanner; null leaves the zero value.
func (j *JSON[T]) Scan(src any) error {
	switch b := src.(type) {
	case nil:
		return nil
	case []byte:
		return json.Unmarshal(b, &j.V)
	case string:
		return json.Unmarshal([]byte(b), &j.V)
	}
	return fmt.Errorf("scan json: unexpected %T", src)
}

// Value implements driver.Valuer.
func (j JSON[T]) Value() (driver.Value, error) { return json.Marshal(j.V) }

// Trouble is what ended the last piece of work on an import.
type Trouble struct {
	Code    string      `json:"code"`
	Message string      `json:"message"`
	Place   fault.Place `json:"place"`
	Value   string      `json:"value,omitempty"`
	Mend    string      `json:"mend,omitempty"`
}

// TroubleOf keeps a fault as the trouble of what it ended.
func TroubleOf(f *fault.Error) Trouble {
	return Trouble{Code: f.Code, Message: f.Message, Place: f.Place, Value: fault.Cut(f.Value, 200), Mend: f.Mend}
}

// Import is one piece of work from source to result.
type Import struct {
	ID             int64                           `db:"id"`
	Workspace      string                          `db:"workspace"`
	Name           string                          `db:"name"`
	Source         int64                           `db:"source"`
	FileName       string                          `db:"file_name"`
	FileBytes      int64                           `db:"file_bytes"`
	FileSHA256     string                          `db:"file_sha256"`
	State          life.State                      `db:"state"`
	Rest           life.State                      `db:"rest"`
	Written        bool                            `db:"written"` // a load has written records
	Run            *int64                          `db:"run"`     // what runs
	Work           life.Work                       `db:"work"`    // what that does; empty when nothing runs
	Done           int64                           `db:"done_rows"`
	Of             int64                           `db:"of_rows"`
	Cancelled      bool                            `db:"cancelled"` // somebody wants what runs to end
	Tries          int                             `db:"tries"`     // how many are under way
	Into           string                          `db:"into_type"`
	Reading        JSON[sheet.Reading]             `db:"reading"`
	Findings       JSON[[]sheet.Finding]           `db:"findings"`
	Columns        JSON[[]sheet.Column]            `db:"columns"`
	Notices        JSON[[]sheet.Notice]            `db:"notices"`
	Rows           int64                           `db:"rows"`
	Routine        JSON[*mapping.Routine]          `db:"routine"`
	Totals         JSON[*verdict.Totals]           `db:"totals"`
	Outcomes       JSON[map[verdict.Outcome]int64] `db:"outcomes"`
	Trouble        JSON[*Trouble]                  `db:"trouble"`
	CellsRun       *int64                          `db:"cells_run"`       // the run that staged the cells
	CheckRun       *int64                          `db:"check_run"`       // the run whose verdicts hold
	RoutineVersion int                             `db:"routine_version"` // of the routine, counted up with each change
	Suggested
	NextRow     int64        `db:"next_row"`    // where the load goes on
	Writes      int64        `db:"writes"`      // of the types that it writes; see Store.Writes
	LinkWrites  int64        `db:"link_writes"` // of those that it only links to
	Catalogue   int64        `db:"catalogue"`   // the edition of the record types that the check saw
	Digest      int64        `db:"digest"`      // of the verdicts that are not carried out yet
	CheckBegan  *time.Time   `db:"check_began_at"`
	CheckedAt   *time.Time   `db:"checked_at"`
	AnsweredAt  *time.Time   `db:"answered_at"`
	BeganAt     *time.Time   `db:"began_at"`
	EndedAt     *time.Time   `db:"ended_at"`
	CleanedAt   *time.Time   `db:"cleaned_at"` // since when its source and results are not kept
	Bundle      *int64       `db:"bundle"`
	Rehearses   *int64       `db:"rehearses"`    // the import that it rehearses
	RehearsesIn string       `db:"rehearses_in"` // the workspace of that
	AtOnce      bool         `db:"at_once"`      // it is to be checked as soon as it is read
	Place       int64        `db:"place"`        // its number in the bundle, which stays
	Turn        int          `db:"turn"`         // where it stands in the order of the bundle
	MadeBy      int64        `db:"made_by"`
	MadeByName  string       `db:"made_by_name"`
	MadeAt      time.Time    `db:"made_at"`
	ChangedAt   time.Time    `db:"changed_at"`
	Veil        mapping.Veil `db:"-"` // what is kept of it from who looks
}

// Suggested says what of an import stands as it was suggested, and is suggested anew
// when the source is read in another way.
type Suggested struct {
	TypeSuggested    bool `db:"type_suggested"`
	RoutineSuggested bool `db:"routine_suggested"`
	SuggestedAmong   bool `db:"suggested_among"` // when all of its bundle were read
}

// Headers lists the headers of the source, in their order.
func (i Import) Headers() []string {
	list := make([]string, len(i.Columns.V))
	for n, c := range i.Columns.V {
		list[n] = c.Header
	}
	return list
}

// Now gives where the import stands in its life.
func (i Import) Now() life.Now {
	return life.Now{
		State: i.State, Work: i.Work, Rest: i.Rest,
		Facts: map[life.Fact]bool{
			life.Read:     i.CellsRun != nil && i.CleanedAt == nil,
			life.Mapped:   i.Routine.V != nil,
			life.Written:  i.Written,
			life.Answered: i.AnsweredAt != nil && i.CheckedAt != nil && i.AnsweredAt.After(*i.CheckedAt),
			life.Tried:    i.Tries > 0,
		},
	}
}

const importColumns = `i.id, i.workspace, i.name, i.source, s.name as file_name, s.bytes as file_bytes, s.sha256 as file_sha256,
	i.state, i.rest, i.written, i.run, coalesce(x.work, '') as work, coalesce(x.done_rows, 0) as done_rows,
	coalesce(x.of_rows, 0) as of_rows, x.cancelled_by is not null as cancelled,
	(select count(*) from runs t where t.import = i.id and t.ended_at is null and t.work = 'try') as tries,
	i.into_type, i.reading, i.findings, i.columns, i.notices, i.rows, i.routine, i.totals, i.outcomes, i.trouble,
	i.routine_version, i.type_suggested, i.routine_suggested, i.suggested_among, i.cells_run, i.check_run, i.next_row,
	i.writes, i.link_writes, i.catalogue, i.digest, i.check_began_at, i.checked_at, i.answered_at, i.began_at, i.ended_at, i.cleaned_at,
	i.bundle, i.at_once, i.rehearses, coalesce((select o.workspace from imports o
	where o.id = i.rehearses), '') as rehearses_in, i.place, i.turn, i.made_by, p.name as made_by_name, i.made_at, i.changed_at`

const importFrom = `
	from imports i join sources s on s.id = i.source join people p on p.id = i.made_by left join runs x on x.id = i.run `

// NewImport is what an import is made from.
type NewImport struct {
	Workspace string
	Name      string
	Source    int64
	Into      string
	Reading   sheet.Reading
	Routine   *mapping.Routine
	Bundle    *int64 // that it belongs to
	Rehearses *int64 // an import of another workspace that it rehearses
	AtOnce    bool   // it is to be checked as soon as it is read
	By        int64
	Also      func(ctx context.Context, tx pgx.Tx, id int64) error // in the same transaction
}

// AddImport makes an import, and the run that reads it.
func (s *Store) AddImport(ctx context.Context, n NewImport, enqueue Enqueue) (int64, error) {
	var id int64
	err := s.inTx(ctx, func(tx pgx.Tx) (err error) {
		id, err = AddImportIn(ctx, tx, n, enqueue)
		return err
	})
	if err != nil {
		return 0, fmt.Errorf("make import: %w", err)
	}
	return id, nil
}

// AddImportIn is AddImport as a part of a transaction.
func AddImportIn(ctx context.Context, tx pgx.Tx, n NewImport, enqueue Enqueue) (id int64, err error) {
	var routine any
	if n.Routine != nil {
		routine = JSON[*mapping.Routine]{n.Routine}
	}
	if n.Bundle != nil { // each gets a place of its own
		if _, err := tx.Exec(ctx, `select pg_advisory_xact_lock(hashtextextended('bundle ' || $1::bigint, 0))`,
			*n.Bundle); err != nil {
			return 0, err
		}
	}
	err = tx.QueryRow(ctx, `insert into imports (workspace, name, source, state, into_type, reading, routine, made_by,
		bundle, rehearses, at_once, place, turn)
			select $1, $2, $3, 'open', $4, $5, $6, $7, $8::bigint, $9, $10, x.place, x.place
			from (select case when $8::bigint is null then 0 else (select coalesce(max(place), 0) + 1 from imports
			where bundle = $8) end as place) x
			returning id`,
		n.Workspace, n.Name, n.Source, n.Into, JSON[sheet.Reading]{n.Reading}, routine, n.By, n.Bundle, n.Rehearses,
		n.AtOnce).Scan(&id)
	if err != nil {
		return 0, err
	}
	r := Run{Import: id, Work: life.Reading, Person: n.By}
	if err := beginRun(ctx, tx, &r, 0); err != nil {
		return 0, err
	}
	if err := enqueue(ctx, tx, r); err != nil {
		return 0, err
	}
	if n.Also != nil {
		if err := n.Also(ctx, tx, id); err != nil {
			return 0, err
		}
	}
	return id, logIn(ctx, tx, Entry{Person: n.By, Workspace: n.Workspace, Action: "upload", Subject: importSubject(id)})
}

// Below finds the import that reads the table of a source which begins with a header row, in the
// part of it that an import reads; 0 when there is none.
func (s *Store) Below(ctx context.Context, i Import, header int64) (int64, error) {
	return below(ctx, s.pool, i, header)
}

// AddBelow makes the import that reads the table below that of another, unless there is one, and
// gives it.
func (s *Store) AddBelow(ctx context.Context, i Import, n NewImport, enqueue Enqueue) (id int64, err error) {
	err = s.inTx(ctx, func(tx pgx.Tx) error {
		now, err := importForUpdate(ctx, tx, i.Workspace, i.ID) // two who want it get the same
		if err == nil {
			id, err = AddBelowIn(ctx, tx, now, n, enqueue)
		}
		return err
	})
	return id, err
}

// AddBelowIn is AddBelow as a part of a transaction that has locked the other import.
func AddBelowIn(ctx context.Context, tx pgx.Tx, i Import, n NewImport, enqueue Enqueue) (int64, error) {
	if id, err := below(ctx, tx, i, n.Reading.HeaderRow); err != nil || id > 0 {
		return id, err
	}
	id, err := AddImportIn(ctx, tx, n, enqueue)
	if err != nil {
		return 0, fmt.Errorf("make import of the table below: %w", err)
	}
	return id, nil
}

func below(ctx context.Context, q interface {
	QueryRow(ctx context.Context, sql string, args ...any) pgx.Row
}, i Import, header int64,
) (id int64, err error) {
	err = q.QueryRow(ctx, `
		select coalesce(min(id), 0) from imports
		where workspace = $1 and source = $2 and state <> 'discarded' and (reading->>'header_row')::bigint = $3
			and coalesce(reading->>'file', '') = $4 and coalesce(reading->>'sheet', '') = $5`,
		i.Workspace, i.Source, header, i.Reading.V.File, i.Reading.V.Sheet).Scan(&id)
	if err != nil {
		return 0, fmt.Errorf("look for the import of a table: %w", err)
	}
	return id, nil
}

// errUnknownImport says that there is no such import.
var errUnknownImport = fault.New(fault.NotFound, "unknown_import",
	"there is no such import in this workspace").Mended("See the list of imports.")

// Import reads one import.
func (s *Store) Import(ctx context.Context, workspace string, id int64) (Import, error) {
	var i Import
	err := s.db.GetContext(ctx, &i, `select `+importColumns+importFrom+`where i.id = $1 and i.workspace = $2`,
		id, workspace)
	if IsMissing(err) {
		return i, errUnknownImport.With(fmt.Sprint(id))
	}
	if err != nil {
		return i, fmt.Errorf("read import: %w", err)
	}
	return i, s.veil(ctx, workspace, &i)
}

// importForUpdate reads an import and locks it until the end of the
// transaction; an empty workspace takes it from any.
func importForUpdate(ctx context.Context, tx pgx.Tx, workspace string, id int64) (Import, error) {
	rows, err := tx.Query(ctx, `select `+importColumns+importFrom+`where i.id = $1
		and ($2 = '' or i.workspace = $2) for update of i`, id, workspace)
	if err != nil {
		return Import{}, fmt.Errorf("lock import: %w", err)
	}
	i, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[Import])
	if IsMissing(err) {
		return i, errUnknownImport.With(fmt.Sprint(id))
	}
	if err != nil {
		return i, fmt.Errorf("lock import: %w", err)
	}
	return i, nil
}

// ImportAnywhere reads an import for a job, whatever its workspace.
func (s *Store) ImportAnywhere(ctx context.Context, id int64) (Import, error) {
	var workspace string
	if err := s.db.GetContext(ctx, &workspace, `select workspace from imports where id = $1`, id); err != nil {
		return Import{}, fmt.Errorf("read import %d: %w", id, err)
	}
	return s.Import(ctx, workspace, id)
}

// ImportFilter chooses imports; the zero value is all but those that were
// discarded.
type ImportFilter struct {
	States []string
	Text   string // in the source's name
	Into   string // record type
	Person string // e-mail address
	From   *time.Time
	To     *time.Time // the end, exclusive
	SHA256 string
	Other  int64 // not of this source
	Single bool  // only those of no bundle
	Before int64 // only with a lower id; 0 is no bound
	Limit  int
}

// Imports lists imports of a workspace, newest first.
func (s *Store) Imports(ctx context.Context, workspace string, f ImportFilter) ([]Import, error) {
	var list []Import
	err := s.db.SelectContext(ctx, &list, `select `+importColumns+importFrom+`
		where i.workspace = $1 and ($2::bigint = 0 or i.id < $2)
			and (coalesce(cardinality($3::text[]), 0) = 0 and i.state <> 'discarded' or i.state = any($3))
			and ($5 = '' or i.name ilike $5) and ($6 = '' or i.into_type = $6) and ($7 = '' or p.email = $7)
			and ($8::timestamptz is null or i.made_at >= $8) and ($9::timestamptz is null or i.made_at < $9)
			and ($10 = '' or s.sha256 = $10) and (not $11 or i.bundle is null) and i.source <> $12
		order by i.id desc limit $4`,
		workspace, f.Before, f.States, f.Limit, pattern(f.Text), f.Into, strings.ToLower(strings.TrimSpace(f.Person)),
		f.From, f.To, f.SHA256, f.Single, f.Other)
	if err != nil {
		return nil, fmt.Errorf("list imports: %w", err)
	}
	each := make([]*Import, len(list))
	for n := range list {
		each[n] = &list[n]
	}
	return list, s.veil(ctx, workspace, each...)
}

// LoadedBy gives the import before one that was the last to write records by a routine; ok is false where none has.
func (s *Store) LoadedBy(ctx context.Context, workspace, routine string, before int64) (i Import, ok bool, err error) {
	err = s.db.GetContext(ctx, &i, `select `+importColumns+importFrom+`
		where i.workspace = $1 and i.routine->>'name' = $2 and i.id < $3 and i.written and i.state <> 'undone'
		order by i.id desc limit 1`, workspace, routine, before)
	if IsMissing(err) {
		return i, false, nil
	}
	if err != nil {
		return i, false, fmt.Errorf("find import by its routine: %w", err)
	}
	return i, true, nil
}

func pattern(text string) string {
	if text == "" {
		return ""
	}
	return "%" + LikeEscape(text) + "%"
}

// HandOver makes an import that of another person, who must be able to work on it.
func (s *Store) HandOver(ctx context.Context, i Import, email string, by Person) error {
	var to Person
	err := s.db.GetContext(ctx, &to, `select id, email, name, role, active from people where email = $1
		and removed_at is null`, strings.ToLower(strings.TrimSpace(email)))
	if err == nil {
		to.Role, err = s.RoleIn(ctx, to, i.Workspace)
	}
	if IsMissing(err) || err == nil && (!to.Active || !to.Role.Covers(rights.Operator)) {
		return fault.New(fault.Invalid, "unknown_person",
			"nobody of this address can work on imports").At(fault.Place{Path: "email"}).With(email)
	}
	if err != nil {
		return err
	}
	if by.Role != rights.Administrator && by.ID != i.MadeBy {
		return fault.Newf(fault.Denied, "not_yours", "the import is that of %s",
			i.MadeByName).Mended("Ask them, or an administrator.")
	}
	return s.logged(ctx, Entry{Person: by.ID, Workspace: i.Workspace, Action: "hand over to " + to.Email,
		Subject: importSubject(i.ID)}, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `update imports set made_by = $2, changed_at = now() where id = $1`, i.ID,
			to.ID); err != nil {
			return err
		}
		n := Notice{Workspace: &i.Workspace, Kind: HandedOver, Subject: i.Name + " was handed over to you",
			Link: fmt.Sprintf("/w/%s/imports/%d", i.Workspace, i.ID)}
		n.Lines.V = []string{"By " + by.Name + ".", fmt.Sprintf("It is %s, with %d rows.", i.State, i.Rows)}
		return Notify(ctx, tx, n, []int64{to.ID})
	})
}

// ProgressOf reads what changes while an import is worked on, and no more.
type ProgressOf struct {
	State    life.State                      `db:"state"`
	Work     life.Work                       `db:"work"`
	Rows     int64                           `db:"rows"`
	Done     int64                           `db:"done_rows"`
	Of       int64                           `db:"of_rows"`
	Outcomes JSON[map[verdict.Outcome]int64] `db:"outcomes"`
	Trouble  JSON[*Trouble]                  `db:"trouble"`
	Changed  time.Time                       `db:"changed_at"` // of anything else
}

// ProgressOf tells how far the work on an import is.
func (s *Store) ProgressOf(ctx context.Context, workspace string, id int64) (ProgressOf, error) {
	var p ProgressOf
	err := s.db.GetContext(ctx, &p, `
		select i.state, coalesce(x.work, '') as work, i.rows, coalesce(x.done_rows, 0) as done_rows,
		coalesce(x.of_rows, 0) as of_rows, i.outcomes, i.trouble, i.changed_at
		from imports i left join runs x on x.id = i.run where i.id = $1 and i.workspace = $2`, id, workspace)
	if IsMissing(err) {
		return p, errUnknownImport.With(fmt.Sprint(id))
	}
	if err != nil {
		return p, fmt.Errorf("read progress: %w", err)
	}
	return p, nil
}

// OnVersion refuses a change that was made on another version of what is there
// now. A change of version 0 was made on whatever is there.
func OnVersion(change, now int, what string) error {
	if change > 0 && change != now {
		return errChangedMeanwhile.With(what)
	}
	return nil
}

// SetRoutine stores a changed routine as the next version, for the change of an
// act.
func SetRoutine(ctx context.Context, tx pgx.Tx, id int64, r mapping.Routine) error {
	_, err := tx.Exec(ctx, `
		update imports set routine = $2, into_type = $3, routine_version = routine_version + 1, type_suggested = false, routine_suggested = false
		where id = $1`, id, JSON[mapping.Routine]{r}, r.Drafts[0].Type)
	if err != nil {
		return fmt.Errorf("store routine: %w", err)
	}
	return nil
}

// SetSuggested stores a routine that is suggested in the place of another, for the change of an act.
func SetSuggested(ctx context.Context, tx pgx.Tx, id int64, r mapping.Routine) error {
	_, err := tx.Exec(ctx, `
		update imports set routine = $2, into_type = $3, routine_version = routine_version + 1
		where id = $1`, id, JSON[mapping.Routine]{r}, r.Drafts[0].Type)
	if err != nil {
		return fmt.Errorf("store a suggested routine: %w", err)
	}
	return nil
}

// NoteAmong notes that the columns of the imports of a bundle were suggested when all were read.
func (s *Store) NoteAmong(ctx context.Context, bundle int64) error {
	if _, err := s.pool.Exec(ctx, `update imports set suggested_among = true where bundle = $1 and not suggested_among`,
		bundle); err != nil {
		return fmt.Errorf("note what was suggested: %w", err)
	}
	return nil
}

// SetReading stores reading options, for the change of an act. Those by which the
// source was read stay at hand until it has been read by the new ones.
func SetReading(ctx context.Context, tx pgx.Tx, id int64, r sheet.Reading) error {
	_, err := tx.Exec(ctx, `update imports set reading_was = case
		when cells_run is not null then reading end, reading = $2 where id = $1`, id, JSON[sheet.Reading]{r})
	if err != nil {
		return fmt.Errorf("store reading options: %w", err)
	}
	return nil
}

// RestoreReading takes back the reading options by which a source could not be
// read, for the end of the run.
func RestoreReading(ctx context.Context, tx pgx.Tx, id int64) error {
	if _, err := tx.Exec(ctx, `update imports set reading = coalesce(reading_was, reading), reading_was = null
		where id = $1`, id); err != nil {
		return fmt.Errorf("restore reading options: %w", err)
	}
	return nil
}

// ReadOtherwise reports whether an import is being read by other options than before.
func (s *Store) ReadOtherwise(ctx context.Context, id int64) (otherwise bool, err error) {
	err = s.pool.QueryRow(ctx, `select reading_was is not null from imports where id = $1`, id).Scan(&otherwise)
	if err != nil {
		return false, fmt.Errorf("look how import %d is read: %w", id, err)
	}
	return otherwise, nil
}

// ReadResult is what reading a source has found.
type ReadResult struct {
	Findings  []sheet.Finding
	Columns   []sheet.Column
	Notices   []sheet.Notice
	Rows      int64
	Anchors   []int64 // the row number of every thousandth row
	Reading   sheet.Reading
	Into      string
	Routine   *mapping.Routine
	Suggested // which of the two was not said by anybody
}

// SetRead stores what was read, for the end of its run.
func SetRead(ctx context.Context, tx pgx.Tx, run Run, r ReadResult) error {
	_, err := tx.Exec(ctx, `
		update imports set reading = @reading, findings = @findings, columns = @columns, notices = @notices, rows = @rows, anchors = @anchors,
			into_type = @into, routine = @routine, type_suggested = @type_suggested, routine_suggested = @routine_suggested, suggested_among = false,
			routine_version = routine_version + 1, reading_was = null, cells_run = @run, check_run = null, totals = null
		where id = @id`,
		pgx.StrictNamedArgs{
			"id": run.Import, "run": run.ID, "reading": JSON[sheet.Reading]{r.Reading},
			"findings": JSON[[]sheet.Finding]{r.Findings},
			"columns":  JSON[[]sheet.Column]{r.Columns}, "notices": JSON[[]sheet.Notice]{r.Notices}, "rows": r.Rows,
			"anchors": r.Anchors,
			"into":    r.Into, "routine": JSON[*mapping.Routine]{r.Routine},
			"type_suggested": r.TypeSuggested, "routine_suggested": r.RoutineSuggested,
		})
	if err != nil {
		return fmt.Errorf("store what was read: %w", err)
	}
	return nil
}

// Checked is what a check has found, beside its verdicts.
type Checked struct {
	Totals     verdict.Totals
	Writes     int64 // of the types that are written, from before the check; see Store.Writes
	LinkWrites int64 // of those that are only linked to
	Catalogue  int64 // the edition of the record types; see catalog.Catalog.Edition
	Digest     int64 // of all verdicts
}

// SetChecked makes the verdicts hold that stand in the tables of a run, for the
// end of the run that has made them or brought them up to date.
func SetChecked(ctx context.Context, tx pgx.Tx, run Run, checkRun int64, c Checked) error {
	_, err := tx.Exec(ctx, `update imports
		set totals = $2, writes = $3, link_writes = $4, digest = $5, check_run = $6, catalogue = $7, next_row = 0,
		checked_at = now() where id = $1`,
		run.Import, JSON[verdict.Totals]{c.Totals}, c.Writes, c.LinkWrites, c.Digest, checkRun, c.Catalogue)
	if err != nil {
		return fmt.Errorf("store what was checked: %w", err)
	}
	return nil
}

// SetCells notes that a run has staged the cells again, just as they were.
func SetCells(ctx context.Context, tx pgx.Tx, run Run) error {
	if _, err := tx.Exec(ctx, `update imports set cells_run = $2 where id = $1`, run.Import, run.ID); err != nil {
		return fmt.Errorf("store that the cells are staged: %w", err)
	}
	return nil
}

// SetCheckedAgain makes the verdicts hold of a run that has made them again after they were lost; what the check had come
// to is told as before.
func SetCheckedAgain(ctx context.Context, tx pgx.Tx, run Run) error {
	if _, err := tx.Exec(ctx, `update imports set check_run = $2 where id = $1`, run.Import, run.ID); err != nil {
		return fmt.Errorf("store that the check was made again: %w", err)
	}
	return nil
}

// SetLeft notes where a load goes on after its check was made again, and the
// digest of what is left.
func SetLeft(ctx context.Context, tx pgx.Tx, id, next, digest int64) error {
	if _, err := tx.Exec(ctx, `update imports set next_row = $2, digest = $3 where id = $1`, id, next,
		digest); err != nil {
		return fmt.Errorf("store where the load goes on: %w", err)
	}
	return nil
}
