# make demo     install what is missing, build, serve the demo
# make test     the same set-up, then every check
# make bench    the service side by side with the job written by hand
# make torture  kills the service and the database while they work, many times
# make pictures the pictures of the documents, from a demo that runs
# make generate make code again from api/openapi.yaml
SHELL := /bin/bash
GO ?= go
# web/node_modules holds a stray Go package, so the packages are named.
PKGS := ./api/... ./bench/... ./cmd/... ./internal/... ./web
export GOFLAGS := -buildvcs=false

.PHONY: learn demo build test lint bench torture generate pictures setup fuzz clean

build: bin/uchi

# Debian's packages: the server, the browser for the tests, fonts for the pictures.
setup:
	@scripts/setup

web/node_modules/.package-lock.json: web/package-lock.json
	cd web && npm ci --no-audit --no-fund
	@touch $@

CONSOLE := $(shell find web/src web/public -type f) $(wildcard docs/guide/*.md) web/index.html web/vite.config.ts web/tsconfig.json
web/dist/index.html: web/node_modules/.package-lock.json $(CONSOLE)
	cd web && npm run build
	@touch web/dist/.gitkeep $@

GOFILES := $(shell find api cmd internal web/web.go -type f -not -name '*_test.go') go.mod go.sum
bin/uchi: web/dist/index.html $(GOFILES)
	$(GO) build -o $@ ./cmd/uchi

demo: setup bin/uchi
	@bin/uchi demo

lint: fmt vet static eslint

.PHONY: compile fmt vet static eslint
compile:
	$(GO) build ./internal/api

fmt:
	@test -z "$$(gofmt -l api bench cmd internal web/web.go)" || { echo "gofmt these:"; gofmt -l api bench cmd internal web/web.go; exit 1; }

vet: web/dist/index.html
	$(GO) vet $(PKGS)

static: vet
	$(GO) tool staticcheck $(PKGS)

eslint: web/dist/index.html
	cd web && npm run --silent lint

# What knows nothing of the console is compiled while the console is made. The lint has vetted the packages.
test: setup
	@$(MAKE) --no-print-directory -j2 -Otarget web/dist/index.html compile
	@$(MAKE) --no-print-directory -j2 -Otarget lint bin/uchi
	scripts/generated
	GOGC=400 $(GO) test -vet=off -timeout 30m $(filter-out ./cmd/...,$(PKGS)) # memory is there; what a service may hold is looked at below
	$(GO) test -vet=off -count=1 -timeout 20m ./cmd/... # they drive a binary that they build, which the cache of results does not see
	$(MAKE) --no-print-directory fuzz TIME=3s

# Each fuzz target for a short while, from its seeds.
TIME ?= 30s
fuzz:
	scripts/fuzz $(TIME)

bench: setup bin/uchi
	$(GO) run ./bench/run $(ARGS)

torture: setup bin/uchi
	$(GO) test ./cmd/uchi -count=1 -timeout 180m -run TestTorture -v -args -kills 50 -crashes 20 -rows 50000 $(ARGS)

pictures:
	scripts/pictures

generate: web/node_modules/.package-lock.json
	$(GO) tool oapi-codegen -config api/server.config.yaml api/openapi.yaml
	$(GO) tool oapi-codegen -config api/client.config.yaml api/openapi.yaml
	cd web && npm run --silent types

clean:
	rm -rf bin bench/out web/node_modules
	find web/dist -mindepth 1 -not -name .gitkeep -delete

# The table that tells what kind of thing texts are, made from open lists again, and the weights that tell what
# record type a sheet is of, from the labelled sheets; byte for byte the same.
learn: setup
	node internal/core/textkind/learn/lists.mjs | $(GO) run ./internal/core/textkind/learn internal/core/textkind/table.bin
	$(GO) run ./internal/core/suggest/learn internal/core/suggest/testdata/sheets.txt internal/core/suggest/weights.txt
