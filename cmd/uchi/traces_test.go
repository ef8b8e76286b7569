package main_test

import (
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"strings"
	"sync"
	"testing"

	collector "go.opentelemetry.io/proto/otlp/collector/trace/v1"
	spans "go.opentelemetry.io/proto/otlp/trace/v1"
	"google.golang.org/protobuf/proto"
)

// Requests, runs and the steps of runs are traced to a collector, by names and numbers and never by
// what stands in cells.
func TestTraces(t *testing.T) {
	var mu sync.Mutex
	var list []*spans.Span
	var sent strings.Builder
	at := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		b, err := io.ReadAll(r.Body)
		var x collector.ExportTraceServiceRequest
		if err == nil {
			err = proto.Unmarshal(b, &x)
		}
		if err != nil {
			t.Error(err)
		}
		mu.Lock()
		defer mu.Unlock()
		sent.Write(b)
		for _, r := range x.ResourceSpans {
			for _, s := range r.ScopeSpans {
				list = append(list, s.Spans...)
			}
		}
	}))
	t.Cleanup(at.Close)
	s := serve(t, "--traces", at.URL+"/v1/traces")
	s.uchi(0, "Name,Country\nKalvøya Marina,NO\n", "import", "-", "--into", "account", "--yes")
	s.stop(os.Interrupt) // which sends what is left
	mu.Lock()
	defer mu.Unlock()
	byID, named := map[string]*spans.Span{}, map[string]*spans.Span{}
	for _, x := range list {
		byID[string(x.SpanId)], named[x.Name] = x, x
	}
	for _, name := range []string{"GetImport", "read", "check", "load", "makes records"} {
		if named[name] == nil {
			t.Errorf("nothing tells of %q, of %d spans", name, len(list))
		}
	}
	if step := named["makes records"]; step != nil {
		if run := byID[string(step.ParentSpanId)]; run == nil || run.Name != "load" {
			t.Errorf("the step is part of %v", run)
		}
	}
	if strings.Contains(sent.String(), "Kalv") {
		t.Error("a trace says what stands in a cell")
	}
}

// A collector that cannot be is told at the start.
func TestTracesNowhere(t *testing.T) {
	s := serve(t)
	if out := s.uchi(1, "", "serve", "--traces", "no address", "--database", s.database, "--listen",
		"127.0.0.1:0"); !strings.Contains(out, "bad_traces") {
		t.Errorf("%s", out)
	}
}
