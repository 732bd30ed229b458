# make demo, make test, make bench, make lint, make shots: see README.md.
export GOFLAGS ?= -buildvcs=false
DATA := .ambrosa
STAMPS := $(DATA)/stamps
UI_SOURCES := $(shell find ui/src ui/public -type f 2>/dev/null) ui/index.html ui/api.html ui/vite.config.ts ui/tsconfig.json ui/package-lock.json
GO_SOURCES := $(shell find . -name '*.go' -not -path './ui/node_modules/*') $(shell find internal -name '*.sql') go.mod go.sum

.PHONY: demo demo-reset test tested checked checked-and-decoder torture accuracy bench lint shots client build clean

demo:
	@$(MAKE) --no-print-directory -j4 build
	@AMBROSA_DATA=$(DATA) bin/ambrosa-demo demo

demo-reset:
	@if [ -f $(DATA)/demo.pid ] && kill -0 "$$(cat $(DATA)/demo.pid)" 2>/dev/null; then echo "The demo is running: end it first with Ctrl-C."; exit 1; fi
	rm -rf $(DATA)/postgres $(DATA)/blobs $(DATA)/uploads $(DATA)/spool $(DATA)/drop $(DATA)/samples
	@$(MAKE) --no-print-directory demo

# What is deployed is ambrosa and ambrosa-decode; the others serve the sample data and tests.
build: bin/ambrosa bin/ambrosa-demo bin/ambrosa-decode bin/ambrosa-draw

# What the machine needs; asked for only when something is missing.
$(STAMPS)/system: tools/install-system.sh
	@bash tools/install-system.sh build
	@mkdir -p $(STAMPS) && touch $@

$(STAMPS)/browser: tools/install-system.sh | $(STAMPS)/system
	@bash tools/install-system.sh test
	@mkdir -p $(STAMPS) && touch $@

ui/node_modules/.package-lock.json: ui/package.json ui/package-lock.json
	@echo "Installing what the interface is built with (1/2 minute) …"
	@cd ui && npm ci --no-audit --no-fund --loglevel=error
	@touch $@

ui/dist/index.html: $(UI_SOURCES) ui/node_modules/.package-lock.json
	@echo "Building the interface …"
	@cd ui && npx tsc --noEmit -p . && npx vite build --logLevel warn
	@touch ui/dist/.keep

# The server's packages compile while the interface is built.
$(STAMPS)/compiled: $(GO_SOURCES)
	@echo "Compiling the server (the first time: fetching its libraries, 1 to 3 minutes) …"
	@CGO_ENABLED=0 go build ./core/... ./internal/app
	@mkdir -p $(STAMPS) && touch $@

bin/ambrosa: $(STAMPS)/compiled ui/dist/index.html $(GO_SOURCES)
	@CGO_ENABLED=0 go build -o $@ ./cmd/ambrosa
	@echo "The server is built."

bin/ambrosa-demo: bin/ambrosa
	@CGO_ENABLED=0 go build -o $@ ./cmd/ambrosa-demo

bin/ambrosa-decode: $(STAMPS)/system $(GO_SOURCES)
	@echo "Compiling the program that decodes pictures (the first time 1 to 3 minutes) …"
	@go build -o $@ ./cmd/ambrosa-decode
	@echo "The decoding program is built."

bin/ambrosa-draw: bin/ambrosa-decode
	@go build -o $@ ./cmd/ambrosa-draw

# The client is generated from the operations; its drift fails the checks.
client: ui/node_modules/.package-lock.json
	go run ./cmd/ambrosa openapi > ui/openapi.json
	cd ui && npx openapi-ts

lint: build
	@$(MAKE) --no-print-directory checked

# All but four packages are checked and tested as the server is built, without C: what is compiled for one serves the
# other.
WITH_C := ./cmd/ambrosa-decode ./cmd/ambrosa-draw ./demo/draw ./internal/decoder
WITHOUT_C = $$(go list ./... | grep -v -e /cmd/ambrosa-decode$$ -e /cmd/ambrosa-draw$$ -e /demo/draw$$ -e /internal/decoder$$)

# What lint looks at, without building.
checked:
	@bad="$$(gofmt -l cmd core demo internal tests ui/*.go)"; if [ -n "$$bad" ]; then echo "gofmt: $$bad"; exit 1; fi
	CGO_ENABLED=0 go vet $(WITHOUT_C)
	go vet $(WITH_C)
	tool="$$(CGO_ENABLED=0 go tool -n staticcheck)" && CGO_ENABLED=0 "$$tool" $(WITHOUT_C) && "$$tool" $(WITH_C)
	cd ui && npx prettier --check --log-level warn src eslint.config.js vite.config.ts
	cd ui && npx eslint src --max-warnings 0
	@bin/ambrosa openapi | diff -q - ui/openapi.json > /dev/null || { echo "ui/openapi.json is older than the operations: run make client"; exit 1; }

# Tests wait for each other's processes more than they compute: more of them run side by side than there are cores. The
# journeys take longest, and begin first; the linters, go vet among them, look meanwhile.
TESTS := AMBROSA_BUILT=$(CURDIR)/bin CGO_ENABLED=0 bin/ambrosa-demo with-postgres -- go test -vet=off -timeout 40m -parallel 3
test:
	@$(MAKE) --no-print-directory -j4 build $(STAMPS)/browser
	@$(MAKE) --no-print-directory -j2 checked-and-decoder tested

checked-and-decoder: checked
	go test -vet=off $(WITH_C)

tested:
	$(TESTS) ./tests/journeys $(WITHOUT_C)

# Many more kills, histories and seeds than the tests have, and fuzzing: for an hour or so.
torture: build
	AMBROSA_KILLS=200 AMBROSA_HISTORIES=10000 $(TESTS) -count=1 -timeout 3h ./internal/upkeeping ./internal/dispatching ./internal/run
	AMBROSA_TWINS=100000 $(TESTS) -count=1 -run TestALotOfManyTwins ./internal/app
	@for package in $$(grep -rl --include='*_test.go' '^func Fuzz' core internal | xargs -n1 dirname | sort -u); do \
		for target in $$(grep -ho '^func Fuzz[A-Za-z]*' $$package/*_test.go | cut -c6-); do \
			go test -run '^$$' -fuzz "^$$target\$$" -fuzztime $(or $(FUZZTIME),30s) ./$$package || exit 1; \
		done; \
	done

# How names of strangers are read, by habit, wrong pairs first, beside how they were read before. With KEEP=1 these
# figures are what the next are beside.
accuracy:
	@go test ./core/pairing -v -run '^TestAccuracy' -count=1 -args -accuracy $(if $(KEEP),-keep) | sed -n '/^list /,/lists$$/p'

$(STAMPS)/bench: tools/install-system.sh
	@bash tools/install-system.sh bench
	@mkdir -p $(STAMPS) && touch $@

bench: build $(STAMPS)/browser $(STAMPS)/bench
	go test -run '^$$' -bench Mapping ./core/sheet
	bin/ambrosa-demo with-postgres -- go test -run '^$$' -bench . -benchtime 1x -timeout 60m ./tests/bench

shots: build $(STAMPS)/browser
	go run ./tests/shots

clean:
	rm -rf bin ui/dist/assets ui/dist/*.html
