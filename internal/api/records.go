package api

import (
	"cmp"
	"context"
	"io"
	"net/http"
	"path"
	"slices"
	"strconv"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/view"
	"uchi/internal/store"
	"uchi/internal/work"
)

func (h *handlers) ListRecords(ctx context.Context, r ListRecordsRequestObject) (ListRecordsResponseObject, error) {
	p := r.Params
	f, err := h.looking(ctx, r.Workspace, p.View, view.View{Filter: p.Filter, Columns: p.Columns, Sort: p.Sort},
		p.Text, p.Import)
	if err != nil {
		return nil, err
	}
	f.After, f.Limit = p.Cursor, limitOf(p.Limit, 50)
	list, next, err := h.store.Records(ctx, r.Workspace, r.Type, f)
	out := ListRecords200JSONResponse{Records: []Record{}, Next: next}
	for _, x := range list {
		out.Records = append(out.Records, recordView(x))
	}
	return out, err
}

// looking says what is asked of the store for the parameters that lists and exports
// of records share.
func (h *handlers) looking(ctx context.Context, workspace string, saved int64, v view.View, text string,
	madeBy int64) (store.RecordFilter, error) {
	return h.work.Looking(ctx, workspace, work.Look{SavedView: saved, View: v, Text: text, Import: madeBy}, personOf(ctx))
}

func (h *handlers) ListColumns(ctx context.Context, r ListColumnsRequestObject) (ListColumnsResponseObject, error) {
	c, err := h.store.Catalog(ctx, r.Workspace)
	if err != nil {
		return nil, err
	}
	t, err := c.MustType(r.Type)
	out := ListColumns200JSONResponse{Columns: []ViewColumn{}}
	for _, p := range view.Offered(c, t) {
		out.Columns = append(out.Columns, ViewColumn{Name: p.Name, Label: p.Label(), Field: p.Field,
			Hows: view.HowsOf(p.Field)})
	}
	return out, err
}

func (h *handlers) ReadFilter(ctx context.Context, r ReadFilterRequestObject) (ReadFilterResponseObject, error) {
	ask := work.Look{SavedView: r.Body.View, View: view.View{Filter: r.Body.Filter}, Text: r.Body.Text,
		Import: r.Body.Import}
	x, err := h.work.ReadFilter(ctx, r.Workspace, r.Type, ask, r.Body.Conditions, personOf(ctx))
	if err != nil {
		return nil, err
	}
	out := FilterReading{Filter: x.Filter, Conditions: x.Conditions, Plain: x.Plain, Count: x.Count}
	if out.Conditions == nil {
		out.Conditions = []view.Condition{}
	}
	return ReadFilter200JSONResponse(out), nil
}

func (h *handlers) ListViews(ctx context.Context, r ListViewsRequestObject) (ListViewsResponseObject, error) {
	c, err := h.store.Catalog(ctx, r.Workspace)
	if err != nil {
		return nil, err
	}
	list, err := h.store.Views(ctx, r.Workspace, r.Params.Type, personOf(ctx).ID)
	out := ListViews200JSONResponse{Views: []SavedView{}}
	for _, v := range list {
		out.Views = append(out.Views, savedView(c, v, personOf(ctx)))
	}
	return out, err
}

func savedView(c catalog.Catalog, v store.SavedView, by store.Person) SavedView {
	out := SavedView{
		Id: v.ID, Type: v.Type, Name: v.Name, View: v.View.V, Shared: v.Shared, Mine: v.Owner == by.ID, Owner: v.OwnerName,
		Version: v.Version, ChangedAt: v.ChangedAt,
	}
	if err := work.Trouble(c, v); err != nil {
		out.Trouble = err.Error()
	}
	return out
}

func (h *handlers) saveView(ctx context.Context, workspace string, v store.SavedView,
	body ViewChange) (SavedView, error) {
	c, err := h.store.Catalog(ctx, workspace)
	if err != nil {
		return SavedView{}, err
	}
	v.Name, v.Shared, v.View.V = body.Name, body.Shared, body.View
	v, err = h.work.SaveView(ctx, workspace, v, personOf(ctx))
	return savedView(c, v, personOf(ctx)), err
}

func (h *handlers) AddView(ctx context.Context, r AddViewRequestObject) (AddViewResponseObject, error) {
	v, err := h.saveView(ctx, r.Workspace, store.SavedView{Type: r.Body.Type}, *r.Body)
	return AddView201JSONResponse(v), err
}

func (h *handlers) ChangeView(ctx context.Context, r ChangeViewRequestObject) (ChangeViewResponseObject, error) {
	on, err := versionOn(r.Params.IfMatch)
	if err != nil {
		return nil, err
	}
	was, err := h.store.SavedView(ctx, r.Workspace, r.View, personOf(ctx).ID)
	if err != nil {
		return nil, err
	}
	was.Version = on
	v, err := h.saveView(ctx, r.Workspace, was, *r.Body)
	return ChangeView200JSONResponse{Body: v, Headers: ChangeView200ResponseHeaders{ETag: etag(v.Version)}}, err
}

func (h *handlers) RemoveView(ctx context.Context, r RemoveViewRequestObject) (RemoveViewResponseObject, error) {
	return RemoveView204Response{}, h.work.RemoveView(ctx, r.Workspace, r.View, personOf(ctx))
}

// delimiters are the names of the signs between the values of a CSV.
var delimiters = map[string]string{"": ",", "comma": ",", "semicolon": ";", "tab": "\t"}

// exportOf gives what an export chooses, and how it is written.
func (h *handlers) exportOf(ctx context.Context, workspace string, p ExportRecordsParams) (work.Export, error) {
	f, err := h.looking(ctx, workspace, p.View, view.View{Filter: p.Filter, Columns: p.Columns, Sort: p.Sort},
		p.Text, p.Import)
	return work.Export{Filter: f, Format: cmp.Or(work.Format(p.Format), work.CSV),
		Delimiter: delimiters[string(p.Delimiter)], UTF16: p.Encoding == "utf-16"}, err
}

func (h *handlers) StartExport(ctx context.Context, r StartExportRequestObject) (StartExportResponseObject, error) {
	p := r.Params
	x, err := h.exportOf(ctx, r.Workspace, ExportRecordsParams{
		Format: ExportRecordsParamsFormat(p.Format), Delimiter: ExportRecordsParamsDelimiter(p.Delimiter),
		Encoding: ExportRecordsParamsEncoding(p.Encoding),
		View:     p.View, Filter: p.Filter, Columns: p.Columns, Sort: p.Sort, Text: p.Text, Import: p.Import,
	})
	if err != nil {
		return nil, err
	}
	made, err := h.work.StartExport(ctx, r.Workspace, r.Type, x, personOf(ctx))
	return StartExport202JSONResponse(exportView(made)), err
}

func (h *handlers) ListExports(ctx context.Context, r ListExportsRequestObject) (ListExportsResponseObject, error) {
	list, err := h.store.Exports(ctx, r.Workspace, personOf(ctx).ID)
	out := ListExports200JSONResponse{Exports: []Export{}}
	for _, x := range list {
		out.Exports = append(out.Exports, exportView(x))
	}
	return out, err
}

func (h *handlers) GetExport(ctx context.Context, r GetExportRequestObject) (GetExportResponseObject, error) {
	x, err := h.store.Export(ctx, r.Workspace, r.Export, personOf(ctx).ID)
	return GetExport200JSONResponse(exportView(x)), err
}

func (h *handlers) RemoveExport(ctx context.Context, r RemoveExportRequestObject) (RemoveExportResponseObject, error) {
	return RemoveExport204Response{}, h.work.RemoveExport(ctx, r.Workspace, r.Export, personOf(ctx))
}

func (h *handlers) DownloadExport(ctx context.Context, r DownloadExportRequestObject) (DownloadExportResponseObject,
	error) {
	x, file, err := h.work.OpenExport(ctx, r.Workspace, r.Export, personOf(ctx))
	if err != nil {
		return nil, err
	}
	return stream{kind: x.Media, file: x.Name, write: func(w http.ResponseWriter) error {
		w.Header().Set("Content-Length", strconv.FormatInt(x.Bytes, 10))
		_, err := io.Copy(w, file)
		return err
	}}, nil
}

// VisitDownloadExportResponse writes the sheet.
func (s stream) VisitDownloadExportResponse(w http.ResponseWriter) error { return s.send(w) }

func exportView(x store.Export) Export {
	return Export{Id: x.ID, Type: x.Type, Name: x.Name, Records: x.Records, Bytes: x.Bytes, Ready: x.Source != nil,
		Trouble: troubleView(x.Trouble.V), MadeAt: x.MadeAt, EndedAt: at(x.EndedAt)}
}

func (h *handlers) ExportRecords(ctx context.Context, r ExportRecordsRequestObject) (ExportRecordsResponseObject,
	error) {
	x, err := h.exportOf(ctx, r.Workspace, r.Params)
	if err != nil {
		return nil, err
	}
	t, ending, write, err := h.work.Exporting(ctx, r.Workspace, r.Type, x)
	if err != nil {
		return nil, err
	}
	return stream{kind: x.MediaOf(ending), file: t.Name + "." + ending,
		write: func(w http.ResponseWriter) error { return write(ctx, w) }}, nil
}

func (h *handlers) DescribeType(ctx context.Context, r DescribeTypeRequestObject) (DescribeTypeResponseObject, error) {
	text, err := h.work.Describe(ctx, r.Workspace, r.Type)
	if err != nil {
		return nil, err
	}
	return stream{kind: "text/markdown; charset=utf-8", write: func(w http.ResponseWriter) error {
		_, err := io.WriteString(w, text)
		return err
	}}, nil
}

// VisitDescribeTypeResponse writes the document.
func (s stream) VisitDescribeTypeResponse(w http.ResponseWriter) error { return s.send(w) }

func (h *handlers) StarterSheet(ctx context.Context, r StarterSheetRequestObject) (StarterSheetResponseObject, error) {
	format := cmp.Or(work.Format(r.Params.Format), work.XLSX)
	ending, write, err := h.work.Starting(ctx, r.Workspace, r.Params.Type, r.Params.Fields, format)
	if err != nil {
		return nil, err
	}
	return stream{kind: work.Export{Format: format}.MediaOf(ending), file: strings.Join(r.Params.Type, "-") +
		"-starter." + ending, write: func(w http.ResponseWriter) error { return write(w) }}, nil
}

// VisitStarterSheetResponse writes the sheet.
func (s stream) VisitStarterSheetResponse(w http.ResponseWriter) error { return s.send(w) }

// VisitExportRecordsResponse writes the sheet.
func (s stream) VisitExportRecordsResponse(w http.ResponseWriter) error { return s.send(w) }

const referringShown = 8

func (h *handlers) GetRecord(ctx context.Context, r GetRecordRequestObject) (GetRecordResponseObject, error) {
	rec, err := h.store.Record(ctx, r.Workspace, r.Type, r.Id)
	if err != nil {
		return nil, err
	}
	v := recordView(rec)
	if v.Files, err = h.filesOf(ctx, rec); err != nil {
		return nil, err
	}
	refs, err := h.store.ReferringTo(ctx, r.Workspace, rec, referringShown)
	for _, x := range refs {
		ref := Referring{Type: x.Type.Name, Field: x.Field.Name, Label: x.Type.Plural + " · " + x.Field.Label,
			Count: x.Count, Records: []Link{}}
		for _, l := range x.Records {
			ref.Records = append(ref.Records, linkView(l))
		}
		v.Referring = append(v.Referring, ref)
	}
	return GetRecord200JSONResponse(v), err
}

func (h *handlers) GetHistory(ctx context.Context, r GetHistoryRequestObject) (GetHistoryResponseObject, error) {
	t, err := h.typeOf(ctx, r.Workspace, r.Type)
	if err != nil {
		return nil, err
	}
	list, err := h.store.History(ctx, r.Workspace, t, r.Id)
	if err != nil {
		return nil, err
	}
	c, err := h.store.Catalog(ctx, r.Workspace)
	if err != nil {
		return nil, err
	}
	var sums []string
	for _, e := range list {
		sums = append(sums, e.File)
	}
	files, err := h.store.Files(ctx, sums)
	out := GetHistory200JSONResponse{Events: []Event{}}
	for _, e := range list {
		v := Event{Version: e.Version, At: e.At, Person: e.Person, Kind: EventKind(e.Kind),
			Changes: changesView(e.Changes.V, t, ""), Undo: e.Undo, Text: e.Text}
		if e.Import != nil {
			v.Import = *e.Import
		}
		if told, ok := c.Type(e.Type); ok {
			v.Record = Link{Type: told.Name, Id: told.RecordID(e.Record), Title: e.Text}
			if f, there := files[e.File]; there {
				v.File = fileView(told.Timeline.File, f)
				v.Text = cmp.Or(v.Text, f.Name)
			}
		}
		out.Events = append(out.Events, v)
	}
	return out, err
}

func fileView(field string, f store.FileInfo) AttachedFile {
	return AttachedFile{Field: field, Name: f.Name, Media: f.Media, Bytes: f.Bytes, Sha256: f.SHA256}
}

// filesOf tells of the files of a record.
func (h *handlers) filesOf(ctx context.Context, r store.Record) (list []AttachedFile, err error) {
	var fields []catalog.Field
	var sums []string
	for _, f := range r.Type.Fields {
		if sum := r.Values[f.Name]; f.Type == catalog.File && sum != "" {
			fields, sums = append(fields, f), append(sums, sum)
		}
	}
	files, err := h.store.Files(ctx, sums)
	for n, f := range fields {
		if info, ok := files[sums[n]]; ok {
			list = append(list, fileView(f.Name, info))
		}
	}
	return list, err
}

// shownAsIs are the kinds of files that a browser may show in place: it runs no script
// of theirs.
var shownAsIs = []string{"text/plain", "text/csv", "image/png", "image/jpeg", "image/gif", "image/webp",
	"application/pdf"}

func (h *handlers) GetFile(ctx context.Context, r GetFileRequestObject) (GetFileResponseObject, error) {
	rec, err := h.store.Record(ctx, r.Workspace, r.Type, r.Id)
	if err != nil {
		return nil, err
	}
	f, ok := rec.Type.Field(r.Field)
	if !ok || f.Type != catalog.File || rec.Values[f.Name] == "" {
		return nil, fault.New(fault.NotFound, "unknown_file", "the record has no file in this field").With(r.Field)
	}
	info, src, err := h.store.OpenFile(ctx, rec.Values[f.Name])
	if err != nil {
		return nil, err
	}
	kind, name := info.Media, path.Base(strings.ReplaceAll(info.Name, `\`, "/"))
	if r.Params.Show && slices.Contains(shownAsIs, kind) {
		name = ""
	}
	if strings.HasPrefix(kind, "text/") {
		kind = "text/plain"
	}
	return stream{kind: kind, file: name, write: func(w http.ResponseWriter) error {
		header := w.Header()
		header.Set("Content-Length", strconv.FormatInt(src.Size, 10))
		if kind != "application/pdf" { // which browsers show by a program of their own
			header.Set("Content-Security-Policy", "default-src 'none'; frame-ancestors 'none'; sandbox")
		}
		header.Set("ETag", `"`+info.SHA256+`"`)
		header.Set("Cache-Control", "private, max-age=3600")
		_, err := io.Copy(w, io.NewSectionReader(src, 0, src.Size))
		return err
	}}, nil
}
