# What people run. Each does all its own set-up.
.PHONY: demo example test console-tests built check form openapi shots packages demo-packages manual console bench soak

CARGO ?= cargo
PROGRAMS = -p tempestas-service -p tempestas-client -p tempestas-host -p tempestas-standins -p tempestas-demo
DEMO = target/debug/tempestas-demo $(if $(STATE),--state $(STATE))

# The console's pages, built anew where anything they are made of is newer.
CONSOLE = console/dist/index.html
CONSOLE_SOURCES := $(shell find console/src console/public -type f -not -name schema.d.ts) \
  $(wildcard console/*.json console/*.ts console/*.html) docs/openapi.json

console: $(CONSOLE)
$(CONSOLE): console/node_modules/.package-lock.json $(CONSOLE_SOURCES)
	@echo "· building the console"
	@cd console && npm run --silent build
	@touch $@
console/node_modules/.package-lock.json: console/package.json console/package-lock.json
	@tools/packages node
	@echo "· fetching what the console is made of"
	@cd console && npm ci --silent
	@touch $@

# Starts the service with the Quillhaven sample world, until Ctrl-C. FRESH=1 begins anew. Installs what its systems need and
# this machine lacks; YES=1 asks nothing.
demo: demo-packages $(CONSOLE)
	@echo "· building (a few minutes the first time, seconds later)"
	@$(CARGO) build --locked $(PROGRAMS) --bins
	@exec $(DEMO) run $(if $(FRESH),--fresh)

# Runs the whole story by itself, in a world of its own.
example: demo-packages $(CONSOLE)
	@echo "· building (a few minutes the first time, seconds later)"
	@$(CARGO) build --locked $(PROGRAMS) --bins
	@$(DEMO) example

# Installs what tests need and lack, then runs all of them. Most of their time they wait, so more of them go at once than
# there are processors.
TESTS_AT_ONCE ?= $(shell echo $$(( $$(nproc) * 5 / 2 )))
test: packages $(CONSOLE)
	@$(MAKE) --no-print-directory --jobs 2 --output-sync=line console-tests built
	RUST_TEST_THREADS=$(TESTS_AT_ONCE) $(CARGO) test --locked --workspace --all-targets -- --show-output
	$(CARGO) test --locked --workspace --doc

# While programs are compiled a processor is often free, for the last of them wait for each other.
console-tests:
	@cd console && npm run --silent test
built:
	$(CARGO) build --locked --workspace --all-targets

packages:
	@tools/packages
	@tools/foreign
demo-packages:
	@tools/packages demo

# The manual and completions, into SHARE, as /usr/local/share has them.
SHARE ?= target/share
manual:
	@$(CARGO) build --locked -p tempestas-client --bins
	@mkdir -p $(SHARE)/man/man1 $(SHARE)/bash-completion/completions $(SHARE)/zsh/site-functions $(SHARE)/fish/vendor_completions.d
	@target/debug/tempestas manual $(SHARE)/man/man1
	@target/debug/tempestas completions bash > $(SHARE)/bash-completion/completions/tempestas
	@target/debug/tempestas completions zsh > $(SHARE)/zsh/site-functions/_tempestas
	@target/debug/tempestas completions fish > $(SHARE)/fish/vendor_completions.d/tempestas.fish

# Format and lints of programs and console, the committed OpenAPI file, one TLS stack.
check: form
	$(CARGO) clippy --locked --workspace --all-targets -- -D warnings

# The same but for the lints of programs, which whoever builds everything has from the compiler meanwhile.
form: $(CONSOLE)
	$(CARGO) fmt --all --check
	@cd console && npm run --silent check
	@tools/openapi --check
	@tools/one-tls-stack

# Writes the OpenAPI file anew.
openapi:
	@tools/openapi

# Takes the pictures in docs/screenshots anew.
shots: packages $(CONSOLE)
	@$(CARGO) build --locked --workspace --all-targets
	@tools/shots

# The simulated world, seed after seed, for SECONDS (an hour); SEED=n replays one.
SECONDS_OF_SOAK = $(or $(SECONDS),3600)
soak:
	@$(if $(SEED),SOAK_SEED=$(SEED),SOAK_SEED=$$(date +%s) SOAK_SECONDS=$(SECONDS_OF_SOAK)) \
	  $(CARGO) test --locked --release -p tempestas-core --test rules simulation -- --show-output

# The figures in docs/benchmarks.md, each beside what this machine can do at all.
bench: $(CONSOLE)
	@tools/packages
	@$(CARGO) build --locked --release $(PROGRAMS) -p tempestas-bench --bins
	@target/release/tempestas-bench
