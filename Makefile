.PHONY: mutants demo test bench soak fuzz reset db stop build lint vendor screenshots

demo: ## install what is missing, start everything, serve the demo production
	@scripts/demo.sh

test: ## install what is missing and pass all tests, the browser's too
	@scripts/test.sh

bench: ## print the tables of speed, memory and fit
	@scripts/install.sh run && scripts/db.sh start && WISEMARROW_BENCH_DATABASE=$$(scripts/db.sh url postgres) go run ./bench

soak: ## ten minutes of work while servers, worker and database are killed in turn
	@scripts/install.sh run && $(MAKE) --no-print-directory build && go run ./internal/soak --seconds 600

mutants: ## programs that are wrong in one place, and whether the tests notice
	@scripts/install.sh run && scripts/db.sh start && WISEMARROW_TEST_DATABASE=$$(scripts/db.sh url postgres) go run ./internal/mutants

fuzz: ## a minute of whatever input for each reader and the parameters of operations
	@scripts/fuzz.sh 60

reset: ## bring the demo data back (drops the project's own database)
	@scripts/reset.sh

db: ## start the project's own PostgreSQL
	@scripts/install.sh run && scripts/db.sh start && scripts/db.sh status

stop: ## stop it
	@scripts/db.sh stop

build: ## build both programs, with core for the browser in it
	scripts/wasm.sh
	go build -o bin/ ./cmd/...

lint:
	gofmt -l $$(git ls-files '*.go') && go vet ./... && go tool staticcheck ./... && npm run --silent lint

vendor: ## copy the browser's modules and fonts from npm into web/static
	npm ci && npm run vendor

screenshots: ## draw docs/screenshots anew from the demo data
	@scripts/install.sh test && scripts/db.sh start && SCREENSHOTS=1 npx playwright test screenshots
