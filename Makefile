# make demo, make test, make bench, make lint, make shots: see README.md.
export GOFLAGS ?= -buildvcs=false
DATA := .ambrosa
STAMPS := $(DATA)/stamps
UI_SOURCES := $(shell find ui/src ui/public -type f 2>/dev/null) ui/index.html ui/api.html ui/vite.config.ts ui/tsconfig.json ui/package-lock.json
GO_SOURCES := $(shell find . -name '*.go' -not -path './ui/node_modules/*') $(shell find internal -name '*.sql') go.mod go.sum

.PHONY: demo demo-reset test check bench lint shots client build clean

demo: bin/ambrosa
	@AMBROSA_DATA=$(DATA) bin/ambrosa demo

demo-reset:
	@if [ -f $(DATA)/demo.pid ] && kill -0 "$$(cat $(DATA)/demo.pid)" 2>/dev/null; then echo "The demo is running: end it first with Ctrl-C."; exit 1; fi
	rm -rf $(DATA)/postgres $(DATA)/blobs $(DATA)/uploads $(DATA)/spool $(DATA)/samples
	@$(MAKE) --no-print-directory demo

build: bin/ambrosa

# What the machine needs; asked for only when something is missing.
$(STAMPS)/system: tools/install-system.sh
	@bash tools/install-system.sh build
	@mkdir -p $(STAMPS) && touch $@

$(STAMPS)/browser: tools/install-system.sh
	@bash tools/install-system.sh test
	@mkdir -p $(STAMPS) && touch $@

ui/node_modules/.package-lock.json: ui/package.json ui/package-lock.json
	cd ui && npm ci --no-audit --no-fund --loglevel=error
	@touch $@

ui/dist/index.html: $(UI_SOURCES) ui/node_modules/.package-lock.json
	cd ui && npx tsc --noEmit -p . && npx vite build --logLevel warn
	@touch ui/dist/.keep

bin/ambrosa: $(STAMPS)/system ui/dist/index.html $(GO_SOURCES)
	CGO_ENABLED=0 go build -o $@ ./cmd/ambrosa
	go build -o $@-decode ./cmd/ambrosa-decode

# The client is generated from the operations; its drift fails the checks.
client: ui/node_modules/.package-lock.json
	go run ./cmd/ambrosa openapi > ui/openapi.json
	cd ui && npx openapi-ts

lint: bin/ambrosa
	@bad="$$(gofmt -l cmd core demo internal tests ui/*.go)"; if [ -n "$$bad" ]; then echo "gofmt: $$bad"; exit 1; fi
	go vet ./...
	go tool staticcheck ./...
	cd ui && npx eslint src --max-warnings 0
	@bin/ambrosa openapi | diff -q - ui/openapi.json > /dev/null || { echo "ui/openapi.json is older than the operations: run make client"; exit 1; }

test: bin/ambrosa $(STAMPS)/browser lint
	bin/ambrosa with-postgres -- go test -timeout 20m ./...

$(STAMPS)/bench: tools/install-system.sh
	@bash tools/install-system.sh bench
	@mkdir -p $(STAMPS) && touch $@

bench: bin/ambrosa $(STAMPS)/browser $(STAMPS)/bench
	bin/ambrosa with-postgres -- go test -run '^$$' -bench . -benchtime 1x -timeout 60m ./tests/bench

shots: bin/ambrosa $(STAMPS)/browser
	go run ./tests/shots

clean:
	rm -rf bin ui/dist/assets ui/dist/*.html
