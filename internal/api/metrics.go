package api

import (
	"context"
	"log/slog"
	"time"

	"uchi/internal/store"

	"github.com/prometheus/client_golang/prometheus"
)

// gauges asks the database how much is under way whenever the metrics are read, so that
// every process says the same.
type gauges struct {
	store *store.Store
	log   *slog.Logger
}

var gaugeHelp = map[string]string{
	"runs":               "Runs of imports under way, by what they do.",
	"jobs_waiting":       "Runs that wait for a process.",
	"feed_files":         "Files of feeds that have not ended, by where they stand.",
	"feeds_failing":      "Feeds whose last look has failed.",
	"notices_waiting":    "Notices that are to go out by mail.",
	"hook_calls_waiting": "Calls of hooks that are to be made.",
	"processes":          "Processes of the service that live.",
}

// Describe implements prometheus.Collector; which parts there are is seen when they are read.
func (gauges) Describe(chan<- *prometheus.Desc) {}

// Collect implements prometheus.Collector.
func (g gauges) Collect(out chan<- prometheus.Metric) {
	ctx, cancel := context.WithTimeout(context.Background(), 2*time.Second)
	defer cancel()
	list, err := g.store.Gauges(ctx)
	if err != nil {
		g.log.Warn("the metrics are not whole", "error", err)
		return
	}
	for _, x := range list {
		var labels, values []string
		if x.Of != "" {
			labels, values = []string{"of"}, []string{x.Of}
		}
		desc := prometheus.NewDesc("uchi_"+x.Name, gaugeHelp[x.Name], labels, nil)
		out <- prometheus.MustNewConstMetric(desc, prometheus.GaugeValue, float64(x.Count), values...)
	}
}
