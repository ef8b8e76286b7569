package api

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/matching"
	"uchi/internal/core/verdict"
	"uchi/internal/staging"
	"uchi/internal/store"
	"uchi/internal/work"
)

func (h *handlers) ListQuestions(ctx context.Context, r ListQuestionsRequestObject) (ListQuestionsResponseObject,
	error) {
	p := r.Params
	i, c, err := h.importWith(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	after, err := cursorOf(p.Cursor)
	if err != nil {
		return nil, err
	}
	out := ListQuestions200JSONResponse{Questions: []AskedRow{}}
	if i.Totals.V == nil { // what was checked no longer holds
		return out, nil
	}
	if err := work.MustBeQuestions(string(p.Kind)); err != nil {
		return nil, err
	}
	filter := staging.QuestionFilter{Kind: p.Kind, From: p.From, To: p.To, Open: p.Open,
		Like: staging.DraftOf{Row: p.Like, Draft: p.Draft}}
	limit := limitOf(p.Limit, 50)
	list, err := h.room.Questions(ctx, i, filter, after, limit)
	if err != nil {
		return nil, err
	}
	types := typesOf(i, c)
	rows := map[int64]bool{}
	for _, q := range list {
		rows[q.Row] = true
		t := types[q.Draft]
		v := AskedRow{Row: q.Row, Draft: q.Draft, Kind: q.Kind, Percent: q.Percent, Candidates: q.Candidates,
			Cells: q.Cells.V, Answer: answerView(q.Answer, t)}
		if q.First != nil {
			v.Record, v.OtherRow = named(q.First.Record, q.First.OtherRow, t)
		}
		out.Questions = append(out.Questions, v)
	}
	if len(rows) == limit {
		out.Next = cursorTo(list[len(list)-1].Row)
	}
	if out.Count, err = h.room.CountQuestions(ctx, i, filter); err != nil {
		return nil, err
	}
	filter.Open = true
	if out.Open, err = h.room.CountQuestions(ctx, i, filter); err != nil {
		return nil, err
	}
	_, out.Unchecked, err = h.store.CountAnswers(ctx, i.ID)
	return out, err
}

// typesOf gives the record type of each draft of an import, by its name.
func typesOf(i store.Import, c catalog.Catalog) map[string]catalog.RecordType {
	if i.Routine.V == nil {
		return nil
	}
	types, _ := i.Routine.V.Types(c) // a type that is gone names no records
	return types
}

func named(record, row *int64, t catalog.RecordType) (id string, other int64) {
	if record != nil && t.Prefix != "" {
		id = t.RecordID(*record)
	}
	if row != nil {
		other = *row
	}
	return id, other
}

func answerView(a *store.Answer, t catalog.RecordType) Answer {
	if a == nil {
		return Answer{}
	}
	v := Answer{Row: a.Row, Draft: a.Draft, Choice: a.Choice, Keep: a.Keep.V, Person: a.Person, At: a.At}
	v.Record, v.OtherRow = named(a.Record, a.OtherRow, t)
	return v
}

func (h *handlers) GetQuestion(ctx context.Context, r GetQuestionRequestObject) (GetQuestionResponseObject, error) {
	i, err := h.standing(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	q, err := h.work.Question(ctx, i, r.Row, r.Params.Draft)
	if err != nil {
		return nil, err
	}
	return GetQuestion200JSONResponse(questionView(q)), nil
}

func questionView(q work.Question) Question {
	v := Question{Row: q.Row, Draft: q.Draft, Kind: q.Kind, Message: q.Kind.Says(), Type: q.Type.Name,
		Values: []RowValue{}, Candidates: []Candidate{}, Answer: answerView(q.Answer, q.Type)}
	for _, x := range q.Values {
		v.Values = append(v.Values, rowValueView(x))
	}
	for _, c := range q.Candidates {
		out := Candidate{Title: c.Title, Percent: c.Percent, Values: c.Values, Says: []string{}, Reasons: c.Reasons.V,
			Alike: c.Alike.V}
		out.Record, out.Row = named(c.Record, c.OtherRow, q.Type)
		slices.SortStableFunc(out.Reasons, func(a, b matching.Reason) int { return cmp.Compare(abs(b.Bits), abs(a.Bits)) })
		for _, reason := range out.Reasons {
			out.Says = append(out.Says, reason.Says(labelsOf(reason.Fields, q.Type)))
		}
		for _, a := range c.Against.V {
			out.Against = append(out.Against, matching.AgainstSays(a))
		}
		v.Candidates = append(v.Candidates, out)
	}
	return v
}

func abs(x float64) float64 { return max(x, -x) }

// labelsOf names what was compared: one field by its label, an address as such.
func labelsOf(fields []string, t catalog.RecordType) string {
	var labels []string
	for _, name := range fields {
		f, _ := t.Field(name)
		switch f.ComparedAs() {
		case catalog.AsStreet, catalog.AsPostalCode, catalog.AsLocality, catalog.AsCountry:
			return "Address"
		}
		labels = append(labels, f.Label)
	}
	return strings.Join(labels, " or ")
}

func (h *handlers) ListAnswers(ctx context.Context, r ListAnswersRequestObject) (ListAnswersResponseObject, error) {
	i, c, err := h.importWith(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	after, err := cursorOf(r.Params.Cursor)
	if err != nil {
		return nil, err
	}
	limit := limitOf(r.Params.Limit, 50)
	list, err := h.store.Answers(ctx, i.ID, after, limit)
	out := ListAnswers200JSONResponse{Answers: []Answer{}}
	types, rows := typesOf(i, c), map[int64]bool{}
	for _, a := range list {
		rows[a.Row] = true
		out.Answers = append(out.Answers, answerView(&a, types[a.Draft]))
	}
	if len(rows) == limit {
		out.Next = cursorTo(list[len(list)-1].Row)
	}
	return out, err
}

func (h *handlers) Answer(ctx context.Context, r AnswerRequestObject) (AnswerResponseObject, error) {
	i, err := h.standing(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	var given []work.Given
	for _, a := range r.Body.Answers {
		given = append(given, work.Given{Row: a.Row, Draft: a.Draft, Choice: a.Choice, Record: a.Record,
			OtherRow: a.OtherRow, Keep: a.Keep})
	}
	n, err := h.work.Answer(ctx, i, given, personOf(ctx))
	return Answer200JSONResponse{Count: n}, err
}

func (h *handlers) AnswerMany(ctx context.Context, r AnswerManyRequestObject) (AnswerManyResponseObject, error) {
	i, err := h.standing(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	b := r.Body
	if err := work.MustBeQuestions(string(b.Kind)); err != nil {
		return nil, err
	}
	var n int64
	if b.Verdict != "" && b.Choice == verdict.ChooseLeaveOut {
		n, err = h.work.LeaveOut(ctx, i, staging.RowFilter{Verdict: string(b.Verdict), Problem: b.Problem, Field: b.Field,
			Value: b.Value}, personOf(ctx))
	} else {
		n, err = h.work.AnswerMany(ctx, i, staging.QuestionFilter{Kind: b.Kind, From: b.From, To: b.To,
			Like: staging.DraftOf{Row: b.Like, Draft: b.Draft}}, b.Choice, personOf(ctx))
	}
	return AnswerMany200JSONResponse{Count: n}, err
}

func (h *handlers) TakeBack(ctx context.Context, r TakeBackRequestObject) (TakeBackResponseObject, error) {
	i, err := h.standing(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	n, err := h.work.TakeBack(ctx, i, r.Params.Row, personOf(ctx))
	return TakeBack200JSONResponse{Count: n}, err
}

// triedRows is how large a sample is when nothing is said.
const triedRows = 2000

func (h *handlers) TryRoutine(ctx context.Context, r TryRoutineRequestObject) (TryRoutineResponseObject, error) {
	i, err := h.standing(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	sample := int64(triedRows)
	if r.Params.Sample != nil {
		sample = *r.Params.Sample
	}
	tried, err := h.work.Try(ctx, i, *r.Body, sample, personOf(ctx))
	if err != nil {
		return nil, err
	}
	return TryRoutine200JSONResponse{Rows: tried.Rows, Of: tried.Of, Totals: totalsView(&tried.Totals)}, nil
}

func weightsView(w store.EstimatedWeights, estimated bool) TypeWeights {
	v := TypeWeights{Estimated: estimated, Pairs: w.Pairs, Share: w.Share, MadeBy: w.MadeBy, MadeAt: w.MadeAt,
		Chances: []Chance{}}
	for kind, levels := range w.Weights.V {
		for level, c := range levels {
			v.Chances = append(v.Chances, Chance{Kind: string(kind), Level: level.String(), M: c.M, U: c.U})
		}
	}
	slices.SortFunc(v.Chances, func(a, b Chance) int { return cmp.Or(cmp.Compare(a.Kind, b.Kind), cmp.Compare(b.M, a.M)) })
	return v
}

func (h *handlers) GetWeights(ctx context.Context, r GetWeightsRequestObject) (GetWeightsResponseObject, error) {
	if _, err := h.typeOf(ctx, r.Workspace, r.Type); err != nil {
		return nil, err
	}
	w, own, err := h.store.Weights(ctx, r.Workspace, r.Type)
	return GetWeights200JSONResponse(weightsView(w, own)), err
}

func (h *handlers) EstimateWeights(ctx context.Context,
	r EstimateWeightsRequestObject) (EstimateWeightsResponseObject, error) {
	w, err := h.work.EstimateWeights(ctx, r.Workspace, r.Type, personOf(ctx))
	return EstimateWeights200JSONResponse(weightsView(w, true)), err
}

func (h *handlers) ForgetWeights(ctx context.Context, r ForgetWeightsRequestObject) (ForgetWeightsResponseObject,
	error) {
	return ForgetWeights204Response{}, h.work.ForgetWeights(ctx, r.Workspace, r.Type, personOf(ctx))
}
