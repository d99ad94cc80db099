# make demo   the example on the demo data, results in demo-output/
# make test   every test
# make demo-large   ten million rows joined in parts, into demo-large/
# make mutants   small changes of the code: do the tests see them? SEED=20 COUNT=100
# make soak   generated cases against the slow oracle: MINUTES=10, SEED=; then joins of
#             files whose processes are killed
# make exhaust   every pair of tiny frames beside definitions of a few lines (minutes)
# make sanitize   tests under sanitizers, valgrind and gctorture
# make check   R CMD check --as-cran of the tarball
# make coverage   which lines the tests reach (needs covr)
# make fuzz   any bytes into the core, as keys and as files: SECONDS=1800, needs clang
# make site   the web site, into site/, and its links checked
# make screenshots   the pictures in docs/screenshots, made anew
# The first two install what is missing (make demo only what the demo needs); nothing else
# has to be there.

LIBRARY := $(CURDIR)/.library
RONDA_R := R_LIBS="$(LIBRARY)" Rscript
JOBS := -j$(shell nproc 2>/dev/null || getconf _NPROCESSORS_ONLN 2>/dev/null || echo 2)
SOURCES := DESCRIPTION NAMESPACE $(wildcard R/* src/*.cpp src/*.h src/core/* \
  src/Makevars man/* data/* inst/*/* exec/* vignettes/*)

.PHONY: demo demo-large test mutants soak exhaust sanitize fuzz check coverage setup install document bench site \
  screenshots clean

demo: $(LIBRARY)/ronda.installed
	@rm -rf demo-output
	@$(RONDA_R) exec/ronda demo --out demo-output

demo-large: setup $(LIBRARY)/ronda.installed
	@$(RONDA_R) tools/demo-large.R

test: setup $(LIBRARY)/ronda.installed
	@$(RONDA_R) tools/run-tests.R

COUNT ?= 100
mutants: setup $(LIBRARY)/ronda.installed
	@$(RONDA_R) tools/mutants.R $(or $(SEED),20) $(COUNT)

MINUTES ?= 10
SEED ?=
soak: setup $(LIBRARY)/ronda.installed
	@$(RONDA_R) tools/soak.R $(MINUTES) $(SEED)
	@$(RONDA_R) tools/faults_files.R

exhaust: setup $(LIBRARY)/ronda.installed
	@$(RONDA_R) tools/exhaust.R $(RULES)

sanitize: setup $(LIBRARY)/ronda.installed
	@R_LIBS="$(LIBRARY)" tools/sanitize.sh

check: setup $(LIBRARY)/ronda.installed
	@R_LIBS="$(LIBRARY)" tools/check.sh

coverage: setup $(LIBRARY)/ronda.installed
	@$(RONDA_R) tools/coverage.R

SECONDS ?= 1800
fuzz:
	@tools/fuzz.sh $(SECONDS) core
	@tools/fuzz.sh $(SECONDS) files

# packages that tests, documents and tools need, those that the demo needs, and ronda itself
# in a library of this checkout
setup: $(LIBRARY)/tests.packages

$(LIBRARY)/%.packages: DESCRIPTION tools/setup.R
	@command -v Rscript >/dev/null || { echo "R is not installed. Write: apt-get install r-base-dev"; exit 1; }
	@mkdir -p "$(LIBRARY)"
	@$(RONDA_R) tools/setup.R $*
	@touch $@

$(LIBRARY)/ronda.installed: $(LIBRARY)/demo.packages $(SOURCES)
	@echo "Building ronda"
	@R_LIBS="$(LIBRARY)" RONDA_TEST_FLAGS=-DRONDA_COUNTS_ROADS MAKEFLAGS=$(JOBS) R CMD INSTALL --no-test-load --library="$(LIBRARY)" . >"$(LIBRARY)/build.log" 2>&1 || { cat "$(LIBRARY)/build.log"; exit 1; }
	@touch $@

# into R's own library with its guides, and `ronda` on the path (PREFIX/bin)
PREFIX ?= /usr/local
install: setup
	@rm -rf .library/tarball && mkdir -p .library/tarball
	@cd .library/tarball && R_LIBS="$(LIBRARY)" MAKEFLAGS=$(JOBS) R CMD build "$(CURDIR)" >build.log 2>&1 || { cat build.log; exit 1; }
	@MAKEFLAGS=$(JOBS) Rscript tools/install.R .library/tarball/ronda_*.tar.gz "$(LIBRARY)"
	@mkdir -p "$(PREFIX)/bin"
	install -m 755 exec/ronda "$(PREFIX)/bin/ronda"

site: setup $(LIBRARY)/ronda.installed
	@$(RONDA_R) tools/setup.R tests pkgdown
	@$(RONDA_R) tools/site.R

screenshots: setup $(LIBRARY)/ronda.installed
	@$(RONDA_R) tools/screenshots.R

document: setup
	$(RONDA_R) -e 'Rcpp::compileAttributes(".")' -e 'roxygen2::roxygenise(load_code = "source")'

bench: setup $(LIBRARY)/ronda.installed
	@for what in small start floor ordered every threads; do \
	  echo "bench/$$what.R"; $(RONDA_R) bench/$$what.R || exit 1; done

clean:
	rm -rf .library demo-output demo-large site src/*.o src/*.so src/core/*.o
