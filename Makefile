# make demo   the application with the demo workshop, on http://127.0.0.1:$(PORT)
# make quick  what one runs while writing: core, store and web without what takes long, no browser
# make test   everything that is run before each commit: packages, browser tests, a throw-away database; then, with the
#             race detector, the tests in which several things run at once, by name
# make soak   every test whole, and what takes hours: 100,000 jobs, 64 people signed in, server and database killed 200
#             times, eight virtual technicians for an hour, ten million changed inputs for every reader, fuzzing
# make deb    a Debian package with the service and a nightly backup, under bin/
# make lint   gofmt, vet and the linter

PORT ?= 8080
VERSION ?= 0.1.0
# Packages and tests in which several things run at once.
RACE = ./web/jobs ./web/people ./web ./web/logbook ./web/worked ./core/diagnose ./core/sheet ./store ./scan ./scan/can ./sim
RACING = ManyAtOnce|Annealing|TwoWriters|AFormIsTakenOnce|NeverBothHold|StartTogether|NewsReaches|AMeterFills|AtTheSameMoment|\
CountedOnce|InTurn|GuessesAtOnce|IsNotDropped|TheListener|WhileTheEvidenceIsWeighed|SilentTester|ClaimOneVehicle|\
NoSign|LongestMessage|TheBusOf
GO ?= go

# A list of names over several lines, without the white space between.
empty :=
RACING := $(subst $(empty) ,,$(RACING))

.PHONY: demo quick test lint build needs bench deb soak

build:
	@command -v $(GO) >/dev/null || { echo "Go 1.26 or newer is needed; see https://go.dev/doc/install" >&2; exit 1; }
	@$(GO) build -o bin/ironthread ./cmd/ironthread

demo:
	@scripts/need postgresql
	@$(MAKE) --no-print-directory build
	@exec bin/ironthread demo --port $(PORT)

quick:
	@scripts/need postgresql ngspice poppler-utils
	@test -z "$$(gofmt -l . | tee /dev/stderr)"
	$(GO) test -timeout 20m -short ./core/... ./store/... ./web/...

test:
	@scripts/need postgresql ngspice chromium-headless-shell tshark python3-scapy python3-can poppler-utils
	$(GO) test -p 3 -timeout 40m ./...
	$(GO) test -timeout 40m -race -run '$(RACING)' $(RACE)

soak:
	@scripts/need postgresql ngspice chromium-headless-shell tshark python3-scapy python3-can poppler-utils
	IRONTHREAD_WHOLE=1 $(GO) test -timeout 0 -p 1 ./...
	IRONTHREAD_WHOLE=1 IRONTHREAD_LOAD=100000 $(GO) test -timeout 60m -v -run 'ManyYears|ManyWho' ./web
	IRONTHREAD_KILLS=200 $(GO) test -timeout 60m -v -run 'WhileWriting' ./cmd/ironthread
	IRONTHREAD_GAP=10m $(GO) test -timeout 60m -v -run 'ANetworkGap' ./e2e
	IRONTHREAD_WHOLE=1 IRONTHREAD_SOAK=1h $(GO) test -timeout 100m -v -run 'EightTechnicians' ./cmd/ironthread
	IRONTHREAD_INPUTS=10000000 $(GO) test -timeout 300m -v -p 1 \
	  -run '^TestMany(Readings|Setups|Observations|Logs|Figures|Answers|Frames|Files|WishFiles|Descriptions|JobFiles|Cells)$$' \
	  ./core/... ./scan/... ./web/jobs
	@for at in ./core/harness ./core/electric ./core/probe ./core/livelog ./core/bench ./scan/doip ./scan/uds; do \
	  for name in $$($(GO) test -list '^Fuzz' $$at | grep '^Fuzz'); do \
	    $(GO) test -run XXX -fuzz "^$$name$$" -fuzztime 5m $$at || exit 1; done; done

deb: build
	@scripts/deb $(VERSION)

bench:
	$(GO) test -run XXX -bench . ./core/... ./web

lint:
	@test -z "$$(gofmt -l . | tee /dev/stderr)"
	$(GO) vet ./...
	$(GO) tool -modfile=tools/go.mod golangci-lint run ./...
