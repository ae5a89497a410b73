# make demo   build, make the demo's data, serve it, print its address
# make check  formats, lints and unit tests, in less than a minute
# make test   everything that is checked: formats, lints, Go and console tests
# make bench  speed, side by side with what one would use by hand
# make cover  how many statements of each package the tests run
# make soak   hour-long work: fuzzing and load
# make release VERSION=v0.1.0   archives, checksums and parts lists in dist/, and the tag
# make build  bin/pikegate

GO ?= go
NPM = npm --prefix console --no-fund --no-audit --loglevel=error
SOAK ?= 10m
# Gin's codec of MessagePack, which nothing here calls, would add 6 MB to the program. Without paths of the
# machine in it what is compiled for the program serves the tests too, and those of another clone.
export GOFLAGS := -tags=nomsgpack -trimpath $(GOFLAGS)
VERSION ?= $(shell git describe --tags --always --dirty 2>/dev/null || echo unknown)

.PHONY: build demo check test cover bench soak release install console clean

build: bin/pikegate

bin/pikegate: console/dist/index.html $(shell find cmd internal demo console/embed.go -type f -not -name '*_test.go') go.mod go.sum
	@echo "compiling the program; the first time takes minutes, most of them for SQLite"
	@$(GO) build -ldflags '-s -w -X pikegate/internal/api.Version=$(VERSION)' -o $@ ./cmd/pikegate

console/node_modules/.package-lock.json: console/package.json console/package-lock.json
	@echo "installing the console's packages"
	@$(NPM) ci >/dev/null
	@touch $@

console/dist/index.html: console/node_modules/.package-lock.json console/openapi.json console/index.html $(shell find console/src console/public -type f ! -name 'api.gen.ts') console/vite.config.ts
	@echo "building the console"
	@$(NPM) run --silent build >/dev/null

console: console/dist/index.html

demo: build
	@echo "making the demo's data, where they are not there yet, and starting the service"
	@bin/pikegate demo

install:
	@tools/install

check: console/node_modules/.package-lock.json console/dist/index.html
	tools/check

test: install build
	tools/test

bench: install build
	tools/bench

cover: install console
	tools/cover

release: install console
	tools/release $(VERSION)

soak: install build
	tools/soak $(SOAK)

clean:
	rm -rf bin dist console/dist/assets console/dist/index.html console/node_modules
