package cli

import (
	"context"
	"errors"
	"log/slog"
	"net/url"
	"time"

	"uchi/internal/core/fault"

	"go.opentelemetry.io/otel/attribute"
	"go.opentelemetry.io/otel/exporters/otlp/otlptrace"
	"go.opentelemetry.io/otel/exporters/otlp/otlptrace/otlptracehttp"
	"go.opentelemetry.io/otel/sdk/resource"
	sdktrace "go.opentelemetry.io/otel/sdk/trace"
	"go.opentelemetry.io/otel/trace"
	"go.opentelemetry.io/otel/trace/noop"
)

// tracing gives where spans go: to a collector of OpenTelemetry by OTLP over HTTP, or nowhere when
// no address is given. What the collector wants in headers stands in OTEL_EXPORTER_OTLP_HEADERS, as
// the OpenTelemetry specification has it. End sends what has not been sent yet.
func tracing(ctx context.Context, to, process string, log *slog.Logger) (p trace.TracerProvider, end func(),
	err error) {
	if to == "" {
		return noop.NewTracerProvider(), func() {}, nil
	}
	u, err := url.Parse(to)
	if err == nil && (u.Host == "" || u.Scheme != "http" && u.Scheme != "https") {
		err = errors.New("it is no address of HTTP")
	}
	var exporter *otlptrace.Exporter
	if err == nil {
		exporter, err = otlptracehttp.New(ctx, otlptracehttp.WithEndpointURL(to))
	}
	if err != nil {
		return nil, nil, fault.New(fault.Invalid, "bad_traces", "traces cannot go there: "+
			err.Error()).With(to).Mended("Give the address of a collector, such as http://127.0.0.1:4318/v1/traces.")
	}
	provider := sdktrace.NewTracerProvider(sdktrace.WithBatcher(exporter), sdktrace.WithResource(resource.NewSchemaless(
		attribute.String("service.name", "uchi"), attribute.String("service.instance.id", process))))
	return provider, func() {
		ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
		defer cancel()
		if err := provider.Shutdown(ctx); err != nil {
			log.Warn("the last traces were not sent", "error", err)
		}
	}, nil
}
