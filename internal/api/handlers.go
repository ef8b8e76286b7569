package api

import (
	"cmp"
	"context"
	"strconv"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
	"uchi/internal/core/rights"
	"uchi/internal/core/sheet"
	"uchi/internal/staging"
	"uchi/internal/store"
	"uchi/internal/work"
)

// handlers implement the operations of the contract.
type handlers struct{ *Server }

func (h *handlers) ListWorkspaces(ctx context.Context, _ ListWorkspacesRequestObject) (ListWorkspacesResponseObject,
	error) {
	list, err := h.store.Workspaces(ctx)
	out := ListWorkspaces200JSONResponse{Workspaces: []Workspace{}}
	if err != nil {
		return nil, err
	}
	for _, w := range list {
		role, err := h.store.RoleIn(ctx, personOf(ctx), w.Name)
		if err != nil {
			return nil, err
		}
		if role != rights.None {
			out.Workspaces = append(out.Workspaces, workspaceView(w))
		}
	}
	return out, nil
}

func workspaceView(w store.Workspace) Workspace {
	return Workspace{Name: w.Name, Label: w.Label, Nothing: w.Nothing.V, ClosedAt: at(w.ClosedAt),
		Filling: fillingView(w.Filling.V)}
}

func fillingView(f *store.Filling) (out Filling) {
	if f != nil {
		out = Filling{From: f.From, Records: f.Records, Chosen: f.Chosen, Trouble: troubleView(f.Trouble)}
	}
	return out
}

func (h *handlers) AddWorkspace(ctx context.Context, r AddWorkspaceRequestObject) (AddWorkspaceResponseObject, error) {
	b := *r.Body
	err := h.work.AddWorkspace(ctx, b.Name, b.Label, store.Copy{From: b.From, Share: b.Share}, personOf(ctx))
	return AddWorkspace201JSONResponse{Name: b.Name, Label: cmp.Or(b.Label, b.Name)}, err
}

func (h *handlers) GetWorkspace(ctx context.Context, r GetWorkspaceRequestObject) (GetWorkspaceResponseObject, error) {
	held, err := h.store.Holds(ctx, r.Workspace)
	if err != nil {
		return nil, err
	}
	out := GetWorkspace200JSONResponse{Name: r.Workspace, Records: held.Records, Imports: held.Imports,
		Routines: held.Routines}
	list, err := h.store.Workspaces(ctx)
	for _, w := range list {
		if w.Name == r.Workspace {
			out.Label, out.Filling = w.Label, fillingView(w.Filling.V)
		}
	}
	return out, err
}

func (h *handlers) RemoveWorkspace(ctx context.Context,
	r RemoveWorkspaceRequestObject) (RemoveWorkspaceResponseObject, error) {
	return RemoveWorkspace204Response{}, h.work.RemoveWorkspace(ctx, r.Workspace, r.Params.Records, personOf(ctx))
}

func (h *handlers) ChangeWorkspace(ctx context.Context,
	r ChangeWorkspaceRequestObject) (ChangeWorkspaceResponseObject, error) {
	if r.Body.Label != "" {
		if err := h.work.RenameWorkspace(ctx, r.Workspace, r.Body.Label, personOf(ctx)); err != nil {
			return nil, err
		}
	}
	if r.Body.Nothing != nil {
		if err := h.work.SetNothing(ctx, r.Workspace, r.Body.Nothing, personOf(ctx)); err != nil {
			return nil, err
		}
	}
	if r.Body.Closed != nil {
		if err := h.work.CloseWorkspace(ctx, r.Workspace, *r.Body.Closed, personOf(ctx)); err != nil {
			return nil, err
		}
	}
	list, err := h.store.Workspaces(ctx)
	for _, w := range list {
		if w.Name == r.Workspace {
			return ChangeWorkspace200JSONResponse(workspaceView(w)), nil
		}
	}
	return nil, err
}

const startShown = 8

func (h *handlers) Start(ctx context.Context, r StartRequestObject) (StartResponseObject, error) {
	records, err := h.store.CountRecords(ctx, r.Workspace)
	if err != nil {
		return nil, err
	}
	out := Start200JSONResponse{Records: records, Waiting: []Import{}, Recent: []Import{}}
	waiting, err := h.store.Imports(ctx, r.Workspace, store.ImportFilter{States: []string{"open", "ready", "paused"},
		Single: true, Limit: startShown})
	if err != nil {
		return nil, err
	}
	for _, i := range waiting {
		out.Waiting = append(out.Waiting, importView(i, false))
	}
	recent, err := h.store.Imports(ctx, r.Workspace,
		store.ImportFilter{States: []string{"loaded", "loading", "stopped", "undoing", "undone", "closed"}, Single: true,
			Limit: startShown})
	for _, i := range recent {
		out.Recent = append(out.Recent, importView(i, false))
	}
	return out, err
}

func (h *handlers) GetSettings(ctx context.Context, _ GetSettingsRequestObject) (GetSettingsResponseObject, error) {
	set, err := h.work.Settings(ctx)
	return GetSettings200JSONResponse{KeepDays: set.KeepDays}, err
}

func (h *handlers) SetSettings(ctx context.Context, r SetSettingsRequestObject) (SetSettingsResponseObject, error) {
	err := h.work.SetSettings(ctx, store.Settings{KeepDays: r.Body.KeepDays}, personOf(ctx))
	return SetSettings200JSONResponse(*r.Body), err
}

func limitOf(n, otherwise int) int {
	if n <= 0 {
		return otherwise
	}
	return min(n, 500)
}

func badCursor(c string) error {
	return fault.New(fault.Invalid, "bad_cursor",
		"the cursor is not one of this list").With(c).Mended("Begin again without a cursor.")
}

func cursorOf(c string) (int64, error) {
	if c == "" {
		return 0, nil
	}
	n, err := strconv.ParseInt(c, 36, 64)
	if err != nil {
		return 0, badCursor(c)
	}
	return n, nil
}

func cursorTo(n int64) string { return strconv.FormatInt(n, 36) }

func (h *handlers) ListImports(ctx context.Context, r ListImportsRequestObject) (ListImportsResponseObject, error) {
	before, err := cursorOf(r.Params.Cursor)
	if err != nil {
		return nil, err
	}
	states := []string{}
	for _, s := range r.Params.State {
		states = append(states, string(s))
	}
	limit := limitOf(r.Params.Limit, 50)
	f := store.ImportFilter{States: states, Text: r.Params.Text, Into: r.Params.Into, Person: r.Params.Person,
		Before: before, Limit: limit + 1}
	if !r.Params.From.IsZero() {
		f.From = &r.Params.From.Time
	}
	if !r.Params.To.IsZero() {
		end := r.Params.To.AddDate(0, 0, 1)
		f.To = &end
	}
	list, err := h.work.Imports(ctx, r.Workspace, f)
	out := ListImports200JSONResponse{Imports: []Import{}}
	for n, i := range list {
		if n == limit {
			out.Next = cursorTo(list[n-1].ID)
			break
		}
		out.Imports = append(out.Imports, importView(i, false))
	}
	return out, err
}

func (h *handlers) Upload(ctx context.Context, r UploadRequestObject) (UploadResponseObject, error) {
	var routine *mapping.Routine
	reading := sheet.Reading{}
	if r.Params.Routine != "" {
		saved, err := h.store.Routine(ctx, r.Workspace, r.Params.Routine)
		if err != nil {
			return nil, err
		}
		routine, reading = &saved.Document.V, saved.Document.V.Reading
	}
	if r.Params.Like > 0 {
		before, err := h.store.Import(ctx, r.Workspace, r.Params.Like)
		if err != nil {
			return nil, err
		}
		routine, reading = before.Routine.V, before.Reading.V
	}
	i, err := h.work.Upload(ctx, work.Upload{Routine: routine, Reading: reading, Workspace: r.Workspace,
		FileName: r.Params.Name, Into: r.Params.Into, Body: r.Body, Bytes: announcedOf(ctx), AtOnce: r.Params.AtOnce,
		By: personOf(ctx)})
	return Upload201JSONResponse(h.importView(ctx, i)), err
}

func (h *handlers) GetImport(ctx context.Context, r GetImportRequestObject) (GetImportResponseObject, error) {
	i, err := h.standing(ctx, r.Workspace, r.Import)
	if _, told := fault.From(err); told { // it is shown as it is read again, and whatever came of its rows
		i, err = h.store.Import(ctx, r.Workspace, r.Import)
	}
	return GetImport200JSONResponse(h.importView(ctx, i)), err
}

// standing reads an import of which the rows are looked at; what is staged of it must be there.
func (h *handlers) standing(ctx context.Context, workspace string, id int64) (store.Import, error) {
	i, err := h.store.Import(ctx, workspace, id)
	if err == nil {
		err = h.work.Standing(ctx, i)
	}
	return i, err
}

// act does something with an import and gives it back as it is then.
func (h *handlers) act(ctx context.Context, workspace string, id int64, do func(store.Import) error) (Import, error) {
	i, err := h.store.Import(ctx, workspace, id)
	if err != nil {
		return Import{}, err
	}
	if err := do(i); err != nil {
		return Import{}, err
	}
	i, err = h.store.Import(ctx, workspace, id)
	return h.importView(ctx, i), err
}

// importView translates an import with all that there is to it.
func (h *handlers) importView(ctx context.Context, i store.Import) Import {
	v := importView(i, true)
	if same, err := h.store.Imports(ctx, i.Workspace, store.ImportFilter{SHA256: i.FileSHA256, Other: i.Source,
		Before: i.ID, Limit: 5}); err == nil && i.FileSHA256 != "" {
		for _, x := range same {
			v.SameFile = append(v.SameFile, SameFile{Id: x.ID, Name: x.Name, State: ImportState(x.State),
				MadeBy: x.MadeByName, MadeAt: x.MadeAt, Outcomes: outcomesView(x.Outcomes.V)})
		}
	}
	if header, _ := work.TableBelow(i); header > 0 {
		if id, err := h.store.Below(ctx, i, header); err == nil {
			v.Below = id
		}
	}
	if a, err := h.work.Approval(ctx, i, personOf(ctx)); err == nil && (a.Need.Why != "" || a.Asked != nil) {
		v.Approval = approvalView(a, personOf(ctx))
	}
	for _, a := range h.work.Possible(ctx, i, personOf(ctx)) {
		out := Act{Act: ActAct(a.Act), Possible: a.Not == nil}
		if a.Not != nil {
			out.Code, out.Why, out.Mend = a.Not.Code, a.Not.Message, a.Not.Mend
		}
		v.Acts = append(v.Acts, out)
	}
	return v
}

// do is an act that is about the import alone.
func (h *handlers) do(ctx context.Context, workspace string, id int64, event life.Event) (Import, error) {
	return h.act(ctx, workspace, id, func(i store.Import) error { return h.work.Do(ctx, i, event, personOf(ctx)) })
}

func (h *handlers) DiscardImport(ctx context.Context, r DiscardImportRequestObject) (DiscardImportResponseObject,
	error) {
	_, err := h.do(ctx, r.Workspace, r.Import, life.Discard)
	return DiscardImport204Response{}, err
}

func (h *handlers) HandOver(ctx context.Context, r HandOverRequestObject) (HandOverResponseObject, error) {
	i, err := h.act(ctx, r.Workspace, r.Import,
		func(i store.Import) error { return h.store.HandOver(ctx, i, r.Body.Email, personOf(ctx)) })
	return HandOver200JSONResponse(i), err
}

func (h *handlers) Close(ctx context.Context, r CloseRequestObject) (CloseResponseObject, error) {
	i, err := h.do(ctx, r.Workspace, r.Import, life.Close)
	return Close200JSONResponse(i), err
}

func (h *handlers) Cancel(ctx context.Context, r CancelRequestObject) (CancelResponseObject, error) {
	i, err := h.do(ctx, r.Workspace, r.Import, life.Cancel)
	return Cancel202JSONResponse(i), err
}

func (h *handlers) ListRuns(ctx context.Context, r ListRunsRequestObject) (ListRunsResponseObject, error) {
	i, err := h.store.Import(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	list, err := h.store.Runs(ctx, i.ID)
	out := ListRuns200JSONResponse{Runs: []Run{}}
	for _, x := range list {
		out.Runs = append(out.Runs, Run{Id: x.ID, Work: RunWork(x.Work), Person: x.Person, BeganAt: x.BeganAt,
			EndedAt: at(x.EndedAt), Ended: x.Ended,
			Done: x.Done, Of: x.Of, Outcomes: outcomesView(x.Outcomes.V), Removed: x.Removed, Partly: x.Partly,
			Trouble: troubleView(x.Trouble.V), Part: x.Part, Undoes: x.Undoes.V, UndoneBy: x.UndoneBy.V})
	}
	return out, err
}

func (h *handlers) ListGone(ctx context.Context, r ListGoneRequestObject) (ListGoneResponseObject, error) {
	i, err := h.standing(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	after, err := cursorOf(r.Params.Cursor)
	if err != nil {
		return nil, err
	}
	c, err := h.store.Catalog(ctx, r.Workspace)
	if err != nil {
		return nil, err
	}
	limit := limitOf(r.Params.Limit, 50)
	list, err := h.work.Gone(ctx, i, r.Params.Draft, after, limit)
	if err != nil {
		return nil, err
	}
	out := ListGone200JSONResponse{Records: []GoneChild{}}
	for _, x := range list {
		t, _ := c.Type(x.Type)
		of, _ := c.Type(x.Of)
		out.Records = append(out.Records, GoneChild{Draft: x.Draft, Type: x.Type, Record: t.RecordID(x.Record),
			Title: x.Title, Of: of.RecordID(x.Parent), Unsure: x.Unsure})
	}
	if len(list) == limit {
		out.Next = cursorTo(list[len(list)-1].Record)
	}
	return out, nil
}

func (h *handlers) Suggest(ctx context.Context, r SuggestRequestObject) (SuggestResponseObject, error) {
	i, err := h.standing(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	s, err := h.work.Suggestions(ctx, i, r.Params.Into, personOf(ctx))
	if err != nil {
		return nil, err
	}
	out := Suggest200JSONResponse{Columns: orEmpty(s.Columns), Types: orEmpty(s.Types), Drafts: orEmpty(s.Drafts),
		Partings: orEmpty(s.Partings), Routines: []Recognised{}}
	out.Unlike, out.Opposite = s.Unlike, s.Opposite
	if len(s.Together.Types) > 0 {
		out.Together = s.Together
	}
	if s.Home.Country != "" {
		out.Home = s.Home
	}
	for n := range out.Drafts {
		out.Drafts[n].Columns = orEmpty(out.Drafts[n].Columns)
	}
	list, err := h.work.Recognise(ctx, i)
	for _, x := range list {
		v := Recognised{Name: x.Name, Type: x.Type, Share: x.Share, Missing: []MissingColumn{}, New: orEmpty(x.New)}
		for _, m := range x.Missing {
			v.Missing = append(v.Missing, MissingColumn{Column: m.Column, Fields: orEmpty(m.Fields), Needed: m.Needed,
				Now: m.Now})
		}
		for _, n := range x.Values {
			v.Values = append(v.Values, NewValue{Column: n.Column, Text: n.Text})
		}
		out.Routines = append(out.Routines, v)
	}
	return out, err
}

func orEmpty[T any](list []T) []T {
	if list == nil {
		return []T{}
	}
	return list
}

func (h *handlers) AddDraft(ctx context.Context, r AddDraftRequestObject) (AddDraftResponseObject, error) {
	i, err := h.onRoutine(ctx, r.Workspace, r.Import, r.Params.IfMatch, func(i store.Import, on int) error {
		return h.work.AddDraft(ctx, i, mapping.Draft{Name: r.Body.Name, Type: r.Body.Type}, on, personOf(ctx))
	})
	return AddDraft200JSONResponse(i), err
}

func (h *handlers) Preview(ctx context.Context, r PreviewRequestObject) (PreviewResponseObject, error) {
	i, err := h.standing(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	list, err := h.work.Preview(ctx, i, r.Body.Routine, r.Body.Draft, r.Body.Field, r.Body.After)
	out := Preview200JSONResponse{Rows: []Previewed{}}
	for _, x := range list {
		v := Previewed{Row: x.Row, Text: x.Text, LeftOut: x.LeftOut}
		if x.Problem != nil {
			v.Problem = problemView(*x.Problem)
		}
		out.Rows = append(out.Rows, v)
	}
	return out, err
}

func (h *handlers) ColumnValues(ctx context.Context, r ColumnValuesRequestObject) (ColumnValuesResponseObject, error) {
	i, err := h.standing(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	list, more, err := h.work.ColumnValues(ctx, i, r.Params.Column, r.Params.Draft, r.Params.Field)
	out := ColumnValues200JSONResponse{Values: []ColumnValue{}, More: more}
	for _, x := range list {
		out.Values = append(out.Values, ColumnValue{Text: x.Text, Count: x.Count, Meaning: x.Meaning, Label: x.Label,
			Guess: x.Guess})
	}
	return out, err
}

// mostDocument is the largest routine document, in bytes.
const mostDocument = 4 << 20

func (h *handlers) SetReading(ctx context.Context, r SetReadingRequestObject) (SetReadingResponseObject, error) {
	i, err := h.act(ctx, r.Workspace, r.Import,
		func(i store.Import) error {
			if i.Written { // it must have the same rows then
				if err := h.work.Standing(ctx, i); err != nil {
					return err
				}
			}
			return h.work.SetReading(ctx, i, sheet.Reading(*r.Body), personOf(ctx))
		})
	return SetReading202JSONResponse(i), err
}

func (h *handlers) ImportBelow(ctx context.Context, r ImportBelowRequestObject) (ImportBelowResponseObject, error) {
	i, err := h.store.Import(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	if i, err = h.work.ImportBelow(ctx, i, r.Params.Into, personOf(ctx)); err != nil {
		return nil, err
	}
	return ImportBelow201JSONResponse(h.importView(ctx, i)), nil
}

func (h *handlers) Rehearse(ctx context.Context, r RehearseRequestObject) (RehearseResponseObject, error) {
	i, err := h.store.Import(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	if i, err = h.work.Rehearse(ctx, i, r.Body.Workspace, personOf(ctx)); err != nil {
		return nil, err
	}
	return Rehearse201JSONResponse(h.importView(ctx, i)), nil
}

func (h *handlers) Rehearsed(ctx context.Context, r RehearsedRequestObject) (RehearsedResponseObject, error) {
	i, err := h.store.Import(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	if i, err = h.work.Rehearsed(ctx, i, personOf(ctx)); err != nil {
		return nil, err
	}
	return Rehearsed202JSONResponse(h.importView(ctx, i)), nil
}

func (h *handlers) Check(ctx context.Context, r CheckRequestObject) (CheckResponseObject, error) {
	i, err := h.act(ctx, r.Workspace, r.Import, func(i store.Import) error { return h.work.Check(ctx, i, personOf(ctx)) })
	return Check202JSONResponse(i), err
}

func (h *handlers) Load(ctx context.Context, r LoadRequestObject) (LoadResponseObject, error) {
	req, err := loadRequestOf(r.Body)
	if err != nil {
		return nil, err
	}
	i, err := h.act(ctx, r.Workspace, r.Import,
		func(i store.Import) error { return h.work.Load(ctx, i, req, personOf(ctx)) })
	return Load202JSONResponse(i), err
}

func (h *handlers) Pause(ctx context.Context, r PauseRequestObject) (PauseResponseObject, error) {
	i, err := h.do(ctx, r.Workspace, r.Import, life.Pause)
	return Pause202JSONResponse(i), err
}

func (h *handlers) Resume(ctx context.Context, r ResumeRequestObject) (ResumeResponseObject, error) {
	i, err := h.do(ctx, r.Workspace, r.Import, life.Resume)
	return Resume202JSONResponse(i), err
}

func (h *handlers) Stop(ctx context.Context, r StopRequestObject) (StopResponseObject, error) {
	i, err := h.do(ctx, r.Workspace, r.Import, life.Stop)
	return Stop202JSONResponse(i), err
}

// importWith reads an import of which the rows are looked at, with the catalogue of its workspace.
func (h *handlers) importWith(ctx context.Context, workspace string, id int64) (store.Import, catalog.Catalog, error) {
	i, err := h.standing(ctx, workspace, id)
	if err != nil {
		return i, catalog.Catalog{}, err
	}
	c, err := h.store.Catalog(ctx, workspace)
	return i, c, err
}

func (h *handlers) Overwrites(ctx context.Context, r OverwritesRequestObject) (OverwritesResponseObject, error) {
	i, c, err := h.importWith(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	rows, err := h.room.FirstOverwrites(ctx, i, limitOf(r.Params.Limit, 5))
	out := Overwrites200JSONResponse{Rows: []Row{}}
	for _, x := range rows {
		out.Rows = append(out.Rows, rowView(x, c))
	}
	return out, err
}

func (h *handlers) ListRows(ctx context.Context, r ListRowsRequestObject) (ListRowsResponseObject, error) {
	p := r.Params
	i, c, err := h.importWith(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	after, err := cursorOf(p.Cursor)
	if err != nil {
		return nil, err
	}
	position := int64(-1)
	if p.Position != nil {
		position = *p.Position
	}
	filter, err := work.Filter(i, p.Column, staging.RowFilter{Verdict: string(p.Verdict), Outcome: string(p.Outcome),
		Problem: p.Problem, Field: p.Field, Reason: p.Reason, Kind: string(p.Kind), Text: p.Text})
	if err != nil {
		return nil, err
	}
	limit := limitOf(p.Limit, 50)
	h.work.Looked(i)
	if filter, err = h.room.Find(ctx, i, filter); err != nil {
		return nil, err
	}
	var rows []staging.GridRow
	if p.Sort == "" {
		rows, err = h.room.Rows(ctx, i, filter, after, position, limit)
	} else {
		order, wrong := work.OrderOf(i, p.Sort)
		if wrong != nil {
			return nil, wrong
		}
		if position < 0 { // the cursor is a place too
			position = after
		}
		after = position + int64(limit)
		rows, err = h.room.RowsInOrder(ctx, i, filter, order, position, limit)
	}
	if err != nil {
		return nil, err
	}
	out := ListRows200JSONResponse{Rows: []Row{}}
	for _, x := range rows {
		if i.Totals.V == nil { // what was checked no longer holds
			x = x.Unchecked()
		}
		out.Rows = append(out.Rows, rowView(x, c))
	}
	if err := h.addEdits(ctx, i, out.Rows); err != nil {
		return nil, err
	}
	if len(rows) == limit {
		if p.Sort == "" {
			after = rows[limit-1].Row
		}
		out.Next = cursorTo(after)
	}
	if p.Count {
		if out.Count, err = h.room.CountRows(ctx, i, filter); err != nil {
			return nil, err
		}
	}
	return out, nil
}

func (h *handlers) GetRow(ctx context.Context, r GetRowRequestObject) (GetRowResponseObject, error) {
	i, c, err := h.importWith(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	row, err := h.work.RowAsRecord(ctx, i, r.Row)
	return GetRow200JSONResponse(rowAsRecordView(row, c)), err
}
