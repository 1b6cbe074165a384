# Ricetta. The two commands are `make demo` and `make test`; both install what is
# missing. The first build compiles SQLite and takes some minutes; later ones seconds.

export GOTOOLCHAIN := local
export CGO_ENABLED := 1
GOFLAGS_BUILD := -trimpath
VERSION := $(shell git describe --tags --always --dirty 2>/dev/null || echo dev)
WEB_SOURCES := $(shell find web/src web/public web/index.html web/vite.config.ts web/tsconfig.json 2>/dev/null)

.PHONY: help demo build web test test-go test-web test-builds test-e2e lint bench accuracy screenshots demo-pictures generate chromium check-tools clean

help: ## Say what there is to make
	@grep -hE '^[a-z-]+:.*## ' $(MAKEFILE_LIST) | sed -E 's/:.*## /\t/' | expand -t 16

demo: build ## Build everything and start the service with the demo plant
	bin/ricetta demo --data $${RICETTA_DATA:-data}

build: check-tools web bin/ricetta ## Build the console and the one binary

bin/ricetta: $(shell find cmd core internal demo web/embed.go web/dist/index.html go.mod go.sum -type f 2>/dev/null | grep -v _test.go) web/dist/app/index.html
	@echo "building bin/ricetta (the first time this compiles SQLite: some minutes)"
	@go mod download
	go build $(GOFLAGS_BUILD) -ldflags "-s -w -X main.version=$(VERSION)" -o bin/ricetta ./cmd/ricetta

web: web/dist/app/index.html

web/node_modules/.stamp: web/package.json web/package-lock.json
	cd web && npm ci --no-progress
	@touch $@

web/dist/app/index.html: web/node_modules/.stamp $(WEB_SOURCES)
	cd web && npm run -s build
	@touch $@

test: check-tools chromium web test-go test-builds test-web test-e2e ## Run all tests, the browser's included
	@echo "all tests passed"

test-go:
	go vet ./...
	go test $$(go list ./... | grep -v /internal/e2e)
	go test -race -short ./internal/line ./internal/station ./internal/api ./internal/store ./internal/plant

# The core once more without SIMD, and with fused multiply-add allowed: the verdicts
# must be the same to the last bit.
test-builds:
	go test -tags purego ./core/...
	GOAMD64=v3 go test ./core/inspect ./core/locate ./core/count ./core/symbol
	GOARCH=arm64 CGO_ENABLED=0 go vet ./core/...
	@if command -v qemu-aarch64 >/dev/null; then GOARCH=arm64 CGO_ENABLED=0 go test -exec qemu-aarch64 ./core/inspect; \
	 else echo "arm64 verdicts not compared: qemu-aarch64 is not installed"; fi

test-web: web/node_modules/.stamp
	cd web && npm run -s check && npm run -s test

test-e2e: web chromium
	go test -count=1 -timeout 18m ./internal/e2e

lint: check-tools web/node_modules/.stamp ## Check style and correctness of all code
	@test -z "$$(go tool gofumpt -l cmd core internal demo web/embed.go *.go)" || (go tool gofumpt -l cmd core internal demo web/embed.go *.go; echo "run: go tool gofumpt -w ."; exit 1)
	go tool staticcheck ./...
	cd web && npm run -s lint

bench: check-tools ## Measure the numbers that have to hold, and print them beside their targets
	go run ./internal/bench
	go test ./internal/e2e -run '^$$' -bench Frames -benchtime 1x | grep Frames

accuracy: check-tools build ## Measure how exact the datum is, and what the demo recipe lets through
	go run ./internal/bench -accuracy
	bin/ricetta demo --score --tins 400

screenshots: build chromium ## Make docs/screenshots anew
	SCREENSHOTS=$(CURDIR)/docs/screenshots go test -count=1 -timeout 15m -run TestScreenshots ./internal/e2e

demo-pictures: ## Render the demo recipe's reference and the demo pictures anew
	go run ./internal/plant/pictures

generate: web/node_modules/.stamp ## Renew schema, interface document and the console's types
	UPDATE=1 go test ./core/recipe ./internal/api
	go run ./internal/docgen
	cd web && npm run -s gen

# Tests of the console need Debian's Chromium. As root it is installed; elsewhere the
# sentence says what to do, and the browser tests are skipped loudly (under CI they fail).
chromium:
	@command -v chromium >/dev/null || { \
	 if [ "$$(id -u)" = 0 ] && command -v apt-get >/dev/null; then \
	  echo "installing chromium"; (apt-get update && apt-get install -y --no-install-recommends chromium fonts-dejavu-core) >/tmp/ricetta-apt.log 2>&1 || { tail -5 /tmp/ricetta-apt.log; exit 1; }; \
	 else echo "CHROMIUM IS MISSING: install it as root with: apt-get install chromium"; fi; }

check-tools:
	@command -v go >/dev/null || { echo "Go is missing; install Go 1.26 or newer"; exit 1; }
	@command -v gcc >/dev/null || { echo "gcc is missing; install it: SQLite is compiled with it"; exit 1; }
	@command -v npm >/dev/null || { echo "Node is missing; install Node 20.19 or newer with npm 11"; exit 1; }
	@node -e 'const [a,b]=process.versions.node.split(".").map(Number); if (a<20||(a===20&&b<19)) { console.log("Node "+process.versions.node+" is too old; install 20.19 or newer"); process.exit(1) }'

clean: ## Remove what was built; records in data/ stay
	rm -rf bin web/dist/app web/node_modules
