package api

import (
	"context"
	"encoding/json"
	"time"

	"uchi/internal/core/fault"
	"uchi/internal/core/feed"
	"uchi/internal/store"
	"uchi/internal/work"
)

// How much of the past of a feed is shown, and of its future.
const (
	feedFilesShown = 50
	feedRunsShown  = 50
	feedTimesShown = 5
)

func (h *handlers) ListFeeds(ctx context.Context, r ListFeedsRequestObject) (ListFeedsResponseObject, error) {
	if _, err := h.store.Catalog(ctx, r.Workspace); err != nil {
		return nil, err
	}
	list, err := h.store.Feeds(ctx, r.Workspace)
	if err != nil {
		return nil, err
	}
	out := ListFeeds200JSONResponse{Feeds: []Feed{}}
	for _, f := range list {
		v, err := h.feedView(ctx, f, 1, 1)
		if err != nil {
			return nil, err
		}
		out.Feeds = append(out.Feeds, v)
	}
	return out, nil
}

func (h *handlers) GetFeed(ctx context.Context, r GetFeedRequestObject) (GetFeedResponseObject, error) {
	v, err := h.feed(ctx, r.Workspace, r.Feed)
	return GetFeed200JSONResponse(v), err
}

func (h *handlers) SetFeed(ctx context.Context, r SetFeedRequestObject) (SetFeedResponseObject, error) {
	if _, err := h.store.Catalog(ctx, r.Workspace); err != nil {
		return nil, err
	}
	version, err := versionOn(r.Params.IfMatch)
	if err != nil {
		return nil, err
	}
	set := work.FeedSetting{Secret: r.Body.Secret, Trust: r.Body.Trust}
	if r.Body.SetUp.Place.Kind != "" {
		doc, err := setUpOf(r.Body.SetUp)
		if err != nil {
			return nil, err
		}
		set.Document = &doc
	}
	if err := h.work.SetFeed(ctx, r.Workspace, r.Feed, version, set, personOf(ctx)); err != nil {
		return nil, err
	}
	v, err := h.feed(ctx, r.Workspace, r.Feed)
	return SetFeed200JSONResponse(v), err
}

func (h *handlers) RemoveFeed(ctx context.Context, r RemoveFeedRequestObject) (RemoveFeedResponseObject, error) {
	return RemoveFeed204Response{}, h.work.RemoveFeed(ctx, r.Workspace, r.Feed, personOf(ctx))
}

func (h *handlers) RunFeed(ctx context.Context, r RunFeedRequestObject) (RunFeedResponseObject, error) {
	try := r.Body != nil && r.Body.Try
	if err := h.work.AskFeed(ctx, r.Workspace, r.Feed, try, personOf(ctx)); err != nil {
		return nil, err
	}
	v, err := h.feed(ctx, r.Workspace, r.Feed)
	return RunFeed202JSONResponse(v), err
}

func (h *handlers) PauseFeed(ctx context.Context, r PauseFeedRequestObject) (PauseFeedResponseObject, error) {
	if err := h.work.SetFeed(ctx, r.Workspace, r.Feed, 0, work.FeedSetting{Paused: &r.Body.Paused},
		personOf(ctx)); err != nil {
		return nil, err
	}
	v, err := h.feed(ctx, r.Workspace, r.Feed)
	return PauseFeed200JSONResponse(v), err
}

func (h *handlers) SendToFeed(ctx context.Context, r SendToFeedRequestObject) (SendToFeedResponseObject, error) {
	f, err := h.store.Feed(ctx, r.Workspace, r.Feed)
	if err != nil {
		return nil, err
	}
	x, err := h.work.SendToFeed(ctx, f, r.Params.Name, r.Body, announcedOf(ctx))
	return SendToFeed202JSONResponse(feedFileView(x)), err
}

func (h *handlers) ChangeKey(ctx context.Context, _ ChangeKeyRequestObject) (ChangeKeyResponseObject, error) {
	n, err := h.work.ChangeKey(ctx, personOf(ctx))
	return ChangeKey200JSONResponse{Count: n}, err
}

func (h *handlers) feed(ctx context.Context, workspace, name string) (Feed, error) {
	f, err := h.store.Feed(ctx, workspace, name)
	if err != nil {
		return Feed{}, err
	}
	return h.feedView(ctx, f, feedFilesShown, feedRunsShown)
}

func (h *handlers) feedView(ctx context.Context, f store.Feed, files, runs int) (Feed, error) {
	doc := f.Document.V
	v := Feed{Name: f.Name, Words: doc.When.Words(), Paused: f.Paused, Looks: f.Run != nil, Version: f.Version,
		Owner: f.OwnerName, HasSecret: f.Secret != "", HostKey: f.HostKey,
		Next: doc.When.NextTimes(time.Now(), feedTimesShown)}
	var err error
	if v.SetUp, err = setUpView(doc); err != nil {
		return v, err
	}
	kinds, usual, err := h.store.FeedTold(ctx, f, personOf(ctx).ID)
	if err != nil {
		return v, err
	}
	v.Told.Usual = usual
	for _, k := range kinds {
		v.Told.Kinds = append(v.Told.Kinds, NoticeKind(k))
	}
	list, err := h.store.FeedFiles(ctx, f.ID, files)
	if err != nil {
		return v, err
	}
	for _, x := range list {
		v.Files = append(v.Files, feedFileView(x))
	}
	looks, err := h.store.FeedRuns(ctx, f.ID, runs)
	for _, r := range looks {
		v.Runs = append(v.Runs, FeedRun{
			Why: r.Why, Person: r.Person, DueAt: r.DueAt, BeganAt: r.BeganAt, EndedAt: at(r.EndedAt), Seen: r.Seen,
			Missed: r.Missed, Said: r.Said, Trouble: troubleView(r.Trouble.V),
		})
	}
	return v, err
}

func (h *handlers) SetFeedTold(ctx context.Context, r SetFeedToldRequestObject) (SetFeedToldResponseObject, error) {
	var kinds *[]store.NoticeKind
	if !r.Body.Usual {
		kinds = &[]store.NoticeKind{}
		for _, k := range r.Body.Kinds {
			*kinds = append(*kinds, store.NoticeKind(k))
		}
	}
	if err := h.work.SetFeedTold(ctx, r.Workspace, r.Feed, kinds, personOf(ctx)); err != nil {
		return nil, err
	}
	v, err := h.feed(ctx, r.Workspace, r.Feed)
	return SetFeedTold200JSONResponse(v), err
}

func feedFileView(x store.FeedFile) FeedFile {
	v := FeedFile{
		Name: x.Name, Bytes: x.Bytes, State: string(x.State), Reasons: []Breach{}, Try: x.Try, Rows: x.Rows,
		TakenAt: x.TakenAt, EndedAt: at(x.EndedAt),
	}
	for _, b := range x.Reasons.V {
		v.Reasons = append(v.Reasons, Breach{Bound: b.Bound, Says: b.Says})
	}
	if x.Import != nil {
		v.Import = *x.Import
	}
	return v
}

// setUpOf reads a set-up as it is sent. What it does not say of the bounds is not
// limited; without any the careful ones hold.
func setUpOf(s FeedSetUp) (feed.Feed, error) {
	doc := feed.Feed{
		Routine: s.Routine, Files: s.Files, Set: s.Set, Newest: s.Newest, Still: s.Still, Mark: s.Mark,
		After: feed.After(s.After), MoveTo: s.MoveTo,
		When: feed.When{Cron: s.Cron, Zone: s.Zone}, Bounds: feed.UsualBounds,
		Place: feed.Place{
			Kind: feed.Kind(s.Place.Kind), Folder: s.Place.Folder, Host: s.Place.Host, Port: s.Place.Port,
			User: s.Place.User, URL: s.Place.Url,
		},
	}
	for _, p := range s.Then {
		doc.Then = append(doc.Then, feed.Part{Files: p.Files, Routine: p.Routine})
	}
	if s.Bounds == (FeedBounds{}) {
		return doc, nil
	}
	raw, err := json.Marshal(s.Bounds)
	if err != nil {
		return doc, err
	}
	doc.Bounds = feed.Bounds{}
	err = json.Unmarshal(raw, &doc.Bounds)
	if _, ok := fault.From(err); err != nil && !ok {
		err = fault.New(fault.Invalid, "bad_limit", "a bound cannot be read: "+err.Error()).At(fault.Place{Path: "bounds"}).
			Mended("For example: 20, or 5 %.")
	}
	return doc, err
}

func setUpView(doc feed.Feed) (FeedSetUp, error) {
	v := FeedSetUp{
		Routine: doc.Routine, Files: doc.Files, Set: doc.Set, Newest: doc.Newest, Still: doc.Still, Mark: doc.Mark,
		After:  FeedSetUpAfter(doc.After),
		MoveTo: doc.MoveTo, Cron: doc.When.Cron, Zone: doc.When.Zone,
		Place: FeedPlace{
			Kind: FeedPlaceKind(doc.Place.Kind), Folder: doc.Place.Folder, Host: doc.Place.Host, Port: doc.Place.Port,
			User: doc.Place.User, Url: doc.Place.URL,
		},
	}
	for _, p := range doc.Then {
		v.Then = append(v.Then, FeedPart{Files: p.Files, Routine: p.Routine})
	}
	raw, err := json.Marshal(doc.Bounds)
	if err == nil {
		err = json.Unmarshal(raw, &v.Bounds)
	}
	return v, err
}
