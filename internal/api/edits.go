package api

import (
	"context"
	"net/http"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
	"uchi/internal/core/verdict"
	"uchi/internal/staging"
	"uchi/internal/store"
	"uchi/internal/work"
)

// Operations that mend cells, load some rows first, and take loads back.

// rowsOf reads a choice of rows; left out it is all of them.
func rowsOf(text string) (string, error) {
	if text == "" {
		return "", nil
	}
	return work.ParseRows(text)
}

// loadRequestOf reads which rows are to be loaded, and when the load gives way.
func loadRequestOf(b *LoadRequest) (work.LoadRequest, error) {
	if b == nil {
		return work.LoadRequest{}, nil
	}
	rows, err := rowsOf(b.Rows)
	return work.LoadRequest{
		Choice: staging.Choice{Rows: rows, First: b.First, Each: b.Each},
		Policy: mapping.LoadPolicy{Whole: b.Whole, PauseHeld: b.PauseHeld, StopFails: b.StopFails},
	}, err
}

func (h *handlers) ChooseRows(ctx context.Context, r ChooseRowsRequestObject) (ChooseRowsResponseObject, error) {
	i, err := h.standing(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	req, err := loadRequestOf(r.Body)
	if err != nil {
		return nil, err
	}
	x, err := h.work.Choose(ctx, i, req.Choice)
	return ChooseRows200JSONResponse{Rows: x.Rows, Needed: x.Needed, Verdicts: x.Verdicts}, err
}

func undoRequestOf(b *UndoRequest) (work.UndoRequest, error) {
	if b == nil {
		return work.UndoRequest{}, nil
	}
	rows, err := rowsOf(b.Rows)
	return work.UndoRequest{Run: b.Run, Rows: rows}, err
}

func (h *handlers) Undo(ctx context.Context, r UndoRequestObject) (UndoResponseObject, error) {
	req, err := undoRequestOf(r.Body)
	if err != nil {
		return nil, err
	}
	i, err := h.act(ctx, r.Workspace, r.Import,
		func(i store.Import) error { return h.work.Undo(ctx, i, req, personOf(ctx)) })
	return Undo202JSONResponse(i), err
}

func (h *handlers) PlanUndo(ctx context.Context, r PlanUndoRequestObject) (PlanUndoResponseObject, error) {
	i, c, err := h.importWith(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	req, err := undoRequestOf(r.Body)
	if err != nil {
		return nil, err
	}
	plan, err := h.work.PlanUndo(ctx, i, req, limitOf(r.Params.Limit, 50), personOf(ctx))
	return PlanUndo200JSONResponse(undoPlanView(plan, c)), err
}

func undoPlanView(plan staging.UndoPlan, c catalog.Catalog) UndoPlan {
	out := UndoPlan{Counts: []UndoCount{}, Items: []UndoItem{}}
	for _, x := range plan.Counts {
		t, _ := c.Type(x.Type)
		out.Counts = append(out.Counts, UndoCount{Act: UndoAct(x.Act), Type: x.Type, Why: UndoWhy(x.Why),
			Records: x.Records, Values: x.Values,
			Says: verdict.UndoSays(x.Act, t.Label, t.Plural, x.Why, x.Records, x.Values)})
	}
	for _, x := range plan.Items {
		t, _ := c.Type(x.Type)
		v := UndoItem{Act: UndoAct(x.Act), Type: x.Type, Record: t.RecordID(x.Record), Title: x.Title, Why: UndoWhy(x.Why),
			Fields: x.Fields, Kept: x.Kept, Row: deref(x.Row)}
		v.Says = undoItemSays(x, t.FieldLabels)
		out.Items = append(out.Items, v)
	}
	return out
}

// undoItemSays words what happens to one record.
func undoItemSays(x staging.UndoItem, labels func([]string) string) string {
	var parts []string
	switch {
	case x.Act == verdict.Remove && x.Why == "":
		parts = append(parts, "goes")
	case x.Act == verdict.BringBack && x.Why == "":
		parts = append(parts, "comes back")
	case x.Act == verdict.BringBack:
		parts = append(parts, "stays deleted: "+x.Why.Says())
	case x.Act == verdict.Remove:
		parts = append(parts, "stays: "+x.Why.Says())
	}
	if x.Act == verdict.Return && len(x.Fields) > 0 {
		parts = append(parts, labels(x.Fields)+" as before")
	}
	if len(x.Kept) > 0 {
		parts = append(parts, labels(x.Kept)+" as now: "+verdict.ChangedSince.Says())
	}
	return strings.Join(parts, "; ")
}

func (h *handlers) Reopen(ctx context.Context, r ReopenRequestObject) (ReopenResponseObject, error) {
	i, err := h.do(ctx, r.Workspace, r.Import, life.Reopen)
	return Reopen202JSONResponse(i), err
}

func (h *handlers) DownloadWorkbook(ctx context.Context,
	r DownloadWorkbookRequestObject) (DownloadWorkbookResponseObject, error) {
	i, c, err := h.importWith(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	p := r.Params
	filter, err := work.Filter(i, p.Column, staging.RowFilter{Verdict: string(p.Verdict), Outcome: string(p.Outcome),
		Problem: p.Problem, Field: p.Field, Reason: p.Reason, Kind: string(p.Kind), Text: p.Text})
	if err != nil {
		return nil, err
	}
	return stream{kind: "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
		file: downloadName(i, filter) + ".xlsx", write: func(w http.ResponseWriter) error {
			return h.work.WriteWorkbook(ctx, i, c, filter, w)
		}}, nil
}

// downloadName names a sheet of chosen rows after its source.
func downloadName(i store.Import, f staging.RowFilter) string {
	name := i.FileName
	for _, ending := range []string{".csv", ".xlsx", ".ods", ".tsv", ".txt", ".jsonl", ".json", ".xls", ".html", ".zip"} {
		name = strings.TrimSuffix(name, ending)
	}
	if what := f.Outcome + f.Verdict; what != "" {
		name += "-" + what
	}
	return name
}

// addEdits adds to rows the cells that were changed after the source was read.
func (h *handlers) addEdits(ctx context.Context, i store.Import, rows []Row) error {
	numbers := make([]int64, len(rows))
	at := map[int64]int{}
	for n, r := range rows {
		numbers[n] = r.Row
		at[r.Row] = n
	}
	list, err := h.store.EditsOf(ctx, i.ID, numbers)
	for _, e := range list {
		row := &rows[at[e.Row]]
		row.Edits = append(row.Edits, editView(i, e))
	}
	return err
}

func editView(i store.Import, e store.Edit) Edit {
	v := Edit{Row: e.Row, Was: e.Was, Value: e.Value, Person: e.Person, At: e.At}
	for _, c := range i.Columns.V {
		if c.Position == e.Place {
			v.Column = c.Header
		}
	}
	if i.Veil.KeepsColumn(e.Place) {
		v.Was, v.Value = mapping.Mask(v.Was), mapping.Mask(v.Value)
	}
	return v
}

func (h *handlers) ListEdits(ctx context.Context, r ListEditsRequestObject) (ListEditsResponseObject, error) {
	i, err := h.standing(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	after, err := cursorOf(r.Params.Cursor)
	if err != nil {
		return nil, err
	}
	limit := limitOf(r.Params.Limit, 50)
	list, err := h.store.Edits(ctx, i.ID, after, limit)
	if err != nil {
		return nil, err
	}
	out := ListEdits200JSONResponse{Edits: []Edit{}}
	rows := map[int64]bool{}
	for _, e := range list {
		rows[e.Row] = true
		out.Edits = append(out.Edits, editView(i, e))
	}
	if len(rows) == limit {
		out.Next = cursorTo(list[len(list)-1].Row)
	}
	out.Count, err = h.store.CountEdits(ctx, i.ID)
	return out, err
}

func (h *handlers) Edit(ctx context.Context, r EditRequestObject) (EditResponseObject, error) {
	i, err := h.standing(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	var cells []work.CellEdit
	for _, c := range r.Body.Cells {
		cells = append(cells, work.CellEdit{Row: c.Row, Column: c.Column, Value: c.Value})
	}
	n, err := h.work.Edit(ctx, i, cells, personOf(ctx))
	return Edit200JSONResponse{Count: n}, err
}

func (h *handlers) TakeEditsBack(ctx context.Context, r TakeEditsBackRequestObject) (TakeEditsBackResponseObject,
	error) {
	i, err := h.standing(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	n, err := h.work.TakeEditsBack(ctx, i, r.Params.Row, r.Params.Column, personOf(ctx))
	return TakeEditsBack200JSONResponse{Count: n}, err
}

func (h *handlers) Replace(ctx context.Context, r ReplaceRequestObject) (ReplaceResponseObject, error) {
	i, err := h.standing(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	b := r.Body
	req := work.ReplaceRequest{Column: b.Column, How: string(b.How), Find: b.Find, Replace: b.Replace,
		Rows: staging.RowFilter{Verdict: string(b.Verdict), Problem: b.Problem, Field: b.Field}}
	out := Replace200JSONResponse{Values: []ReplacedValue{}}
	var values []staging.Replaced
	if out.Count, values, out.More, err = h.work.Replacing(ctx, i, req); err != nil {
		return nil, err
	}
	for _, v := range values {
		out.Values = append(out.Values, ReplacedValue{Was: v.Was, Value: v.Value, Count: v.Count})
	}
	if !b.Preview {
		out.Count, err = h.work.Replace(ctx, i, req, personOf(ctx))
	}
	return out, err
}

func (h *handlers) BringBack(ctx context.Context, r BringBackRequestObject) (BringBackResponseObject, error) {
	i, err := h.standing(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	x, err := h.work.BringBack(ctx, i, r.Params.Name, r.Body, announcedOf(ctx), personOf(ctx))
	out := BringBack200JSONResponse{Rows: x.Rows, Cells: x.Cells, LeftCount: x.LeftCount, Columns: x.Columns}
	for _, l := range x.Left {
		out.Left = append(out.Left, LeftRow{Row: l.Row, Why: l.Why})
	}
	return out, err
}

func (h *handlers) Near(ctx context.Context, r NearRequestObject) (NearResponseObject, error) {
	i, err := h.standing(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	list, err := h.work.Near(ctx, i, r.Params.Draft, r.Params.Field, r.Params.Text)
	out := Near200JSONResponse{Near: []NearMiss{}}
	for _, n := range list {
		out.Near = append(out.Near, NearMiss{Text: n.Text, Label: n.Label})
	}
	return out, err
}

func (h *handlers) ChangeRecord(ctx context.Context, r ChangeRecordRequestObject) (ChangeRecordResponseObject, error) {
	on, err := versionOn(r.Params.IfMatch)
	if err != nil {
		return nil, err
	}
	x, err := h.work.ChangeRecord(ctx, r.Workspace, r.Type, r.Id, on, r.Body.Values, personOf(ctx))
	if err != nil {
		return nil, err
	}
	return ChangeRecord200JSONResponse{Body: recordView(x),
		Headers: ChangeRecord200ResponseHeaders{ETag: etag(x.Version)}}, nil
}

func (h *handlers) AddNote(ctx context.Context, r AddNoteRequestObject) (AddNoteResponseObject, error) {
	return AddNote204Response{}, h.work.AddNote(ctx, r.Workspace, r.Type, r.Id, r.Body.Text, personOf(ctx))
}
