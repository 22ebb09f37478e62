# make demo   the application with the demo workshop, on http://127.0.0.1:$(PORT)
# make test   everything: packages, browser tests, a throw-away database; then again, short, with the race
#             detector, the packages in which more than one goroutine works
# make deb    a Debian package with the service and a nightly backup, under bin/
# make lint   gofmt, vet and the linter

PORT ?= 8080
VERSION ?= 0.1.0
# Packages in which more than one goroutine works.
RACE = ./core/predict ./core/diagnose ./core/study ./core/sheet ./web/...
GO ?= go

.PHONY: demo test lint build needs bench deb

build:
	@command -v $(GO) >/dev/null || { echo "Go 1.26 or newer is needed; see https://go.dev/doc/install" >&2; exit 1; }
	@$(GO) build -o bin/ironthread ./cmd/ironthread

demo:
	@scripts/need postgresql
	@$(MAKE) --no-print-directory build
	@exec bin/ironthread demo --port $(PORT)

test:
	@scripts/need postgresql ngspice chromium
	$(GO) test -timeout 20m ./...
	$(GO) test -timeout 20m -race -short $(RACE)

deb: build
	@scripts/deb $(VERSION)

bench:
	$(GO) test -run XXX -bench . ./core/...

lint:
	@test -z "$$(gofmt -l . | tee /dev/stderr)"
	$(GO) vet ./...
	$(GO) tool -modfile=tools/go.mod golangci-lint run ./...
