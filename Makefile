# Two commands do all the set-up: make demo, make test.
export CGO_ENABLED = 0
GO      ?= go
LISTEN  ?= 127.0.0.1:8460
DATA    ?= demo-data
CONSOLE  = web/dist/index.html
SOURCES  = $(shell find web/src web/public web/index.html web/vite.config.ts web/packed.ts web/package.json web/package-lock.json web/tsconfig.json -type f)

PROBE    = probe/dist/index.html
SEED    ?= 1
SAMPLE  ?= 400
MINUTES ?= 60
ONLY    ?=
FUZZTIME ?= 60s
TARGETS ?= linux/arm64 windows/arm64 darwin/amd64 darwin/arm64
# what `durvek version` says
COMMIT   = $(shell git rev-parse HEAD 2>/dev/null)
DATE     = $(shell git log -1 --format=%cI 2>/dev/null)
TAG     ?= $(shell git describe --tags --exact-match 2>/dev/null)
STAMP    = -X durvek/cli.Commit=$(COMMIT) -X durvek/cli.Date=$(DATE) -X durvek/cli.Tag=$(TAG)
KERNELS  = probe/page/public/kernels.wasm.gz

.PHONY: demo test check fuzz mutate build bench console probe check cross api reference licenses release shots clean

## build everything, start the service with the demo data, print the address and a sign-in link
demo: build
	bin/durvek demo --listen $(LISTEN) --data $(DATA)

# a demo that test binaries share; its name stays, so that what has not changed is not tested twice
SHARED   = $(or $(TMPDIR),/tmp)/durvek-tests-$(shell pwd | cksum | cut -d' ' -f1)

## all tests; installs Chromium from Debian when it is missing and it can. Those that take longest begin first, and three
## packages go at once: they wait for pages and simulated machines for a third of their time. For other systems the
## program is read, not built: `make cross` and `make release` build it
test: console probe
	scripts/need-chromium
	rm -rf $(SHARED) && mkdir -m 700 $(SHARED)
	DURVEK_DEMO=$(SHARED) $(GO) test -p 3 -timeout 20m -vet=all -ldflags "-s -w" ./web ./probe ./cli ./service ./...
	rm -rf $(SHARED)
	cd web && npx vue-tsc --noEmit
	cd scripts/tools && $(GO) run ./systems windows/amd64 linux/arm64 darwin/arm64

## what reads the code for mistakes, known holes in what it needs, and races; the holes are asked for over the network,
## races need a C compiler
check: console probe
	$(GO) tool -modfile=scripts/tools/go.mod staticcheck ./...
	cd scripts/release && $(GO) vet . && $(GO) test .
	CGO_ENABLED=1 $(GO) test -race -short -timeout 30m ./service ./desk/... ./store ./agent
	$(GO) tool -modfile=scripts/tools/go.mod govulncheck ./...

## try every reader of what comes from outside with made-up input, each for FUZZTIME
fuzz: console probe
	$(GO) list -f '{{.Dir}} {{.ImportPath}}' ./... | while read dir pkg; do \
		for f in $$(cat $$dir/*_test.go 2>/dev/null | sed -n 's/^func \(Fuzz[A-Za-z]*\)(.*/\1/p'); do \
			echo "$$pkg $$f"; $(GO) test $$pkg -run XXX -fuzz "^$$f$$" -fuzztime $(FUZZTIME) || exit 1; done; done

## plant small faults and print those that no test notices, as ONLY="core/stats" or a seeded sample of all
mutate: console probe
	cd scripts/mutate && $(GO) run . -seed $(SEED) -sample $(SAMPLE) -minutes $(MINUTES) -only "$(ONLY)"

## bin/durvek with the console inside
build: console probe
	$(GO) build -trimpath -ldflags "-s -w $(STAMP)" -o bin/durvek ./cmd/durvek

## the benchmarks, as one table beside their references
bench: console probe
	$(GO) test ./bench -run xxx -bench . -benchtime 1x -timeout 90m

console: $(CONSOLE)

web/node_modules/.package-lock.json: web/package-lock.json
	cd web && npm ci --ignore-scripts --no-audit --no-fund

$(CONSOLE): web/node_modules/.package-lock.json $(SOURCES)
	cd web && npx vite build

probe: $(PROBE)

# What the module is made of: its own source, and the packages of this project that it imports.
$(KERNELS): $(shell find probe/kernels workload/*.go workload/cpu workload/pages core trace -name '*.go' -not -name '*_test.go') go.mod
	mkdir -p probe/page/public probe/page/gen
	GOOS=js GOARCH=wasm $(GO) build -trimpath -ldflags "-s -w" -o probe/page/gen/kernels.wasm ./probe/kernels
	gzip -9 -n -c probe/page/gen/kernels.wasm > $@
	rm probe/page/gen/kernels.wasm

# The runtime's own start-up code for browsers, of the same Go that built the module.
probe/page/gen/wasm_exec.js: go.mod
	mkdir -p probe/page/gen
	cp "$$($(GO) env GOROOT)/lib/wasm/wasm_exec.js" $@

$(PROBE): web/node_modules/.package-lock.json $(KERNELS) probe/page/gen/wasm_exec.js $(shell find probe/page -name '*.ts' -o -name '*.css' -o -name 'index.html') web/probe.config.ts web/packed.ts
	cd web && npx vite build -c probe.config.ts
	touch probe/dist/.gitkeep

## build for all systems: the whole program for one, elsewhere what runs on a machine under test, that is all but the
## database's library, which takes a minute a target
cross: console probe
	GOOS=windows GOARCH=amd64 $(GO) build -o /dev/null ./cmd/durvek
	for t in $(TARGETS); do \
		echo "$$t"; GOOS=$${t%/*} GOARCH=$${t#*/} $(GO) build ./agent ./workload ./workload/cpu ./workload/memory ./workload/network ./workload/response ./workload/storage || exit 1; done

## write the API's description and the types made from it
api:
	$(GO) run ./cmd/durvek api describe > docs/openapi.json
	cd web && npx openapi-typescript ../docs/openapi.json -o src/api/schema.gen.ts

## write the commands, the vocabulary and a page for each workload from the program's own tables
reference: console probe
	$(GO) run ./scripts/reference

## the notices of everything that is in the program
licenses: console probe
	$(GO) run ./scripts/licenses > cli/licenses.txt.new && mv cli/licenses.txt.new cli/licenses.txt

## archives, packages, checksums and the list of parts of the commit that is checked out, into bin/release; same commit,
## same bytes. TAG=v1.2.3 names the version, RELEASES the systems
RELEASES ?= linux/amd64 linux/arm64 windows/amd64 windows/arm64 darwin/amd64 darwin/arm64
release: console probe
	cd scripts/release && $(GO) run . -tag "$(TAG)" -targets "$(RELEASES)"

## refresh docs/screenshots from the demo data
shots: build
	scripts/shots

clean:
	rm -rf bin web/node_modules web/dist/assets web/dist/index.html probe/page/gen probe/page/public probe/dist/assets probe/dist/*.*
