# Two commands do all the set-up: make demo, make test.
export CGO_ENABLED = 0
GO      ?= go
LISTEN  ?= 127.0.0.1:8460
DATA    ?= demo-data
CONSOLE  = web/dist/index.html
SOURCES  = $(shell find web/src web/public web/index.html web/vite.config.ts web/package.json web/package-lock.json web/tsconfig.json -type f)

.PHONY: demo test build bench console check cross api reference shots clean

## build everything, start the service with the demo data, print the address and a sign-in link
demo: build
	bin/durvek demo --listen $(LISTEN) --data $(DATA)

## all tests; installs Chromium from Debian when it is missing and it can
test: console
	scripts/need-chromium
	$(GO) vet ./...
	cd web && npx vue-tsc --noEmit
	$(MAKE) --no-print-directory cross
	$(GO) test -timeout 12m ./...

## bin/durvek with the console inside
build: console
	$(GO) build -trimpath -o bin/durvek ./cmd/durvek

## the benchmarks, as one table beside their references
bench: console
	$(GO) test ./bench -run xxx -bench . -benchtime 1x -timeout 20m

console: $(CONSOLE)

web/node_modules/.package-lock.json: web/package-lock.json
	cd web && npm ci --ignore-scripts --no-audit --no-fund

$(CONSOLE): web/node_modules/.package-lock.json $(SOURCES)
	cd web && npx vite build

## what runs on a machine under test must build for all of them: the whole program for one, elsewhere all but
## the database's library, which takes a minute a target; the processor kernels for the browser too
cross: console
	GOOS=windows GOARCH=amd64 $(GO) build -o /dev/null ./cmd/durvek
	for t in linux/arm64 windows/arm64 darwin/amd64 darwin/arm64; do \
		echo "$$t"; GOOS=$${t%/*} GOARCH=$${t#*/} $(GO) build ./agent ./workload ./workload/cpu ./workload/memory ./workload/network ./workload/response ./workload/storage || exit 1; done
	GOOS=js GOARCH=wasm $(GO) build ./workload ./workload/cpu

## write the API's description and the types made from it
api:
	$(GO) run ./cmd/durvek api describe > docs/openapi.json
	cd web && npx openapi-typescript ../docs/openapi.json -o src/api/schema.gen.ts

## write the commands, the vocabulary and a page for each workload from the program's own tables
reference: console
	$(GO) run ./scripts/reference

## refresh docs/screenshots from the demo data
shots: build
	scripts/shots

clean:
	rm -rf bin web/node_modules web/dist/assets web/dist/index.html
