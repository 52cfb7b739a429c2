# make demo | test | bench | sanitize | fuzz | check | install | core-test | screenshots | docs
# | format | lint | site | coverage | clean
SHELL := /bin/bash
LIBRARY := build/library
STAMP := build/installed
NEEDS := Rcpp cli digest ggplot2 htmltools jsonlite mgcv optparse ragg rlang stringi svglite systemfonts vctrs yaml
TEST_NEEDS := testthat vroom vdiffr DBI RSQLite gmp haven readxl writexl knitr rmarkdown withr httpuv
SOURCES := DESCRIPTION NAMESPACE src/Makevars $(wildcard R/*.R src/*.cpp src/*.h src/core/* src/vendor/*) \
  $(wildcard man/*.Rd inst/* inst/demo-study/* inst/examples/* inst/gallery/* exec/*)
WITH_LIBRARY = R_LIBS="$(CURDIR)/$(LIBRARY)$${R_LIBS:+:$$R_LIBS}"
PREFIX ?= $(shell if [ -w /usr/local/bin ]; then echo /usr/local; else echo $$HOME/.local; fi)

.PHONY: demo test bench check install core-test test-elsewhere sanitize fuzz screenshots docs \
  format lint lint-core site coverage clean setup setup-test
.DELETE_ON_ERROR:

demo: $(STAMP)
	$(WITH_LIBRARY) exec/neatsieve demo --out out/demo

setup:
	@tools/setup $(NEEDS)
setup-test:
	@tools/setup $(NEEDS) $(TEST_NEEDS)
	@tools/setup-browser
	@tools/setup-databases

# The package of this checkout in a library of its own, so that nothing installed is touched; with
# byte code of everything, which the tests would otherwise make again in each of their processes.
$(STAMP): $(SOURCES) | setup
	@mkdir -p $(LIBRARY)
	MAKEFLAGS=-j2 R CMD INSTALL --strip --preclean --byte-compile --library=$(LIBRARY) --no-test-load . \
	  > build/install.log 2>&1 || { tail -40 build/install.log; exit 1; }
	@touch $@

CORE_SOURCES := $(wildcard src/core/*.cpp)
CORE_TESTS := $(wildcard tests/core/*.cpp)
CORE_FLAGS := -std=c++17 -O2 -g -Wall -Wextra -Wpedantic -Wconversion -Werror -pthread -Isrc/core
CORE_OBJECTS := $(patsubst src/core/%.cpp,build/core/%.o,$(CORE_SOURCES)) \
  $(patsubst tests/core/%.cpp,build/core/test/%.o,$(CORE_TESTS))

build/core/%.o: src/core/%.cpp $(wildcard src/core/*.h src/vendor/*.h)
	@mkdir -p $(@D)
	$(CXX) $(CORE_FLAGS) -c $< -o $@
# The test framework's one header, Catch, comes with testthat.
build/core/test/%.o: tests/core/%.cpp $(wildcard src/core/*.h tests/core/*.h)
	@mkdir -p $(@D)
	$(CXX) $(CORE_FLAGS) -isystem "$$(Rscript --vanilla -e \
	  'cat(system.file("include", package = "testthat"))')" -c $< -o $@
build/core/run: $(CORE_OBJECTS)
	$(CXX) $(CORE_FLAGS) $^ -o $@
core-test: setup-test
	@$(MAKE) --no-print-directory build/core/run
	build/core/run

# R starts with room for what the tests load, so that it looks for what is free less often.
test: setup-test
	@$(MAKE) --no-print-directory $(STAMP) build/core/run
	$(WITH_LIBRARY) R_NSIZE=10M R_VSIZE=256M R_GC_MEM_GROW=2 Rscript --vanilla tools/run-tests.R build/core/run

# The same tests in the C locale, and those of results under hostile options of the session.
test-elsewhere: setup-test
	@$(MAKE) --no-print-directory $(STAMP) build/core/run
	$(WITH_LIBRARY) LC_ALL=C LANG=C Rscript --vanilla tools/run-tests.R build/core/run
	$(WITH_LIBRARY) TZ=Pacific/Auckland Rscript --vanilla tools/run-tests.R build/core/run hostile

# The core and the package under the address and undefined-behaviour sanitizers.
SECONDS_OF_FUZZING ?= 60
sanitize: setup-test
	@tools/sanitize 20

# Random programs, expressions, plans and charts; `make fuzz SECONDS_OF_FUZZING=1800` for longer.
# Folders are killed at every so many of the calls that change the disk.
KILL_EVERY ?= 4
fuzz: setup-test $(STAMP)
	@tools/sanitize $$(( $(SECONDS_OF_FUZZING) / 4 )) $$(( $(SECONDS_OF_FUZZING) / 4 ))
	@$(WITH_LIBRARY) Rscript --vanilla tests/fuzz/fuzz.R $$(( $(SECONDS_OF_FUZZING) / 4 ))
	@$(WITH_LIBRARY) Rscript --vanilla tests/fuzz/vectors.R $$(( $(SECONDS_OF_FUZZING) / 4 ))
	@cc -shared -fPIC -o build/kill-at.so tests/fuzz/kill-at.c -ldl && folder=$$(mktemp -d) && \
	  $(WITH_LIBRARY) LD_PRELOAD=$(CURDIR)/build/kill-at.so Rscript --vanilla \
	  tests/fuzz/kill-at.R $(CURDIR)/build/kill-at.so $$folder $(KILL_EVERY); \
	  ended=$$?; rm -rf $$folder; exit $$ended
	@for where in sqlite postgresql mariadb servers; do $(WITH_LIBRARY) Rscript --vanilla \
	  tests/fuzz/databases.R $$(( $(SECONDS_OF_FUZZING) / 12 )) $$where || exit 1; done

bench: setup-test $(STAMP)
	@missed=0; for f in bench/[!c]*.R bench/conditions.R; do echo "== $$f"; \
	  $(WITH_LIBRARY) Rscript --vanilla $$f || missed=1; done; exit $$missed

# The core under another compiler and standard library, where they are there.
lint-core:
	@if command -v clang++ >/dev/null && \
	  echo '#include <vector>' | clang++ -stdlib=libc++ -x c++ -fsyntax-only - 2>/dev/null; then \
	  for file in src/core/*.cpp; do clang++ -std=c++17 -stdlib=libc++ -Wall -Wextra -Wpedantic \
	    -Wconversion -Werror -pthread -Isrc/core -fsyntax-only $$file || exit 1; done; \
	  echo "the core compiles with clang and libc++"; \
	else echo "clang and libc++ are not here: the core was not compiled with them"; fi

# The form of the code: R by tools/format.R, C++ as .clang-format says.
R_CODE := $(wildcard R/*.R tests/testthat/*.R tests/fuzz/*.R tools/*.R bench/*.R data-raw/*.R \
  inst/examples/*.R vignettes/*.Rmd)
CPP_CODE := $(filter-out src/RcppExports.cpp,$(wildcard src/*.cpp src/*.h src/core/*.cpp src/core/*.h \
  tests/core/*.cpp tests/core/*.h))
format:
	@tools/setup styler
	clang-format -i $(CPP_CODE)
	Rscript --vanilla tools/format.R $(filter-out R/RcppExports.R,$(R_CODE))

# Form, names, commented code, complexity and the like, as .lintr says.
lint: lint-core
	@tools/setup lintr cyclocomp styler
	@if command -v clang-format >/dev/null; then clang-format --dry-run --Werror $(CPP_CODE); \
	else echo "clang-format is not here: the form of C++ was not checked"; fi
	Rscript --vanilla tools/format.R check $(filter-out R/RcppExports.R,$(R_CODE))
	Rscript --vanilla -e 'found <- lintr::lint_dir("R")' -e 'print(found)' \
	  -e 'quit(status = length(found) > 0)'

check: setup-test docs lint
	@! grep -q "maintainer@example.org" DESCRIPTION || \
	  echo "Authors@R in DESCRIPTION still has the placeholder maintainer@example.org: name a person." >&2
	rm -rf build/check && mkdir -p build/check
	cd build/check && R CMD build ../.. && _R_CHECK_FORCE_SUGGESTS_=false \
	  R CMD check --no-manual neatsieve_*.tar.gz

install: setup
	R CMD INSTALL --strip .
	mkdir -p "$(PREFIX)/bin"
	install -m 755 exec/neatsieve "$(PREFIX)/bin/neatsieve"
	mkdir -p "$(PREFIX)/share/man/man1"
	install -m 644 inst/neatsieve.1 "$(PREFIX)/share/man/man1/neatsieve.1"
	@echo "neatsieve is in $(PREFIX)/bin"

# Help pages are written by the package as it is installed, and installed with it.
docs: setup
	@tools/setup roxygen2
	Rscript tools/collate.R
	@$(MAKE) --no-print-directory $(STAMP)
	$(WITH_LIBRARY) Rscript -e 'roxygen2::roxygenise(".", load_code = function(path) asNamespace("neatsieve"))'
	@$(MAKE) --no-print-directory $(STAMP)
	$(WITH_LIBRARY) Rscript tools/make-schema.R
	$(WITH_LIBRARY) Rscript tools/make-manual.R

# Help pages and vignettes as static pages in build/site.
site: setup-test $(STAMP)
	$(WITH_LIBRARY) Rscript --vanilla tools/make-site.R

# Lines that tests run, of R and of the core.
coverage: setup-test
	@tools/setup covr
	Rscript --vanilla tools/coverage.R

screenshots: $(STAMP)
	$(WITH_LIBRARY) tools/screenshots

clean:
	rm -rf build out src/*.o src/*.so src/core/*.o
