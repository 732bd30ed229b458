// Package testdb gives each test a fresh, migrated database: a copy of a
// template that is made once. The server is the one that AMBROSA_TEST_DATABASE
// names (`make test` starts it), or one that a test's process starts itself.
package testdb

import (
	"context"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"

	"ambrosa/internal/postgres"
	"ambrosa/internal/store"
)

var (
	once    sync.Once
	address string
	problem error
	server  *postgres.Server
	folder  string
)

// Main runs a package's tests, ends the server that they started, if any, and
// removes the folders that they shared: call it from TestMain.
func Main(m *testing.M, shared ...string) { MainThen(m, nil, shared...) }

// MainThen is Main with a last look at what all tests did together; what is wrong fails them.
func MainThen(m *testing.M, look func() (wrong []string), shared ...string) {
	code := m.Run()
	if look != nil && code == 0 {
		for _, text := range look() {
			fmt.Fprintln(os.Stderr, "--- FAIL:", text)
			code = 1
		}
	}
	for _, folder := range shared {
		_ = os.RemoveAll(folder)
	}
	if server != nil {
		_ = server.Stop()
		_ = os.RemoveAll(folder)
	}
	os.Exit(code)
}

func start() {
	if address = os.Getenv("AMBROSA_TEST_DATABASE"); address != "" {
		problem = makeTemplate()
		return
	}
	if folder, problem = os.MkdirTemp("", "ambrosa-testdb-*"); problem != nil {
		return
	}
	if problem = os.Chmod(folder, 0o755); problem != nil {
		return
	}
	if server, problem = postgres.Start(context.Background(), postgres.Options{Folder: filepath.Join(folder, "postgres"),
		Throwaway: true}); problem != nil {
		return
	}
	address = server.URL("postgres")
	problem = makeTemplate()
}

const template = "ambrosa_template"

// makeTemplate migrates a database once, also when several processes ask.
func makeTemplate() error {
	ctx := context.Background()
	connection, err := pgx.Connect(ctx, address)
	if err != nil {
		return err
	}
	defer connection.Close(ctx)
	if _, err := connection.Exec(ctx, `select pg_advisory_lock(4711)`); err != nil {
		return err
	}
	var ready bool
	if err := connection.QueryRow(ctx, `select exists (select from pg_database where datname = $1)`, template).Scan(&ready); err != nil ||
		ready {
		return err
	}
	if _, err := connection.Exec(ctx, "create database "+template); err != nil {
		return err
	}
	s, err := store.Open(ctx, named(template))
	if err != nil {
		return err
	}
	defer s.Close()
	return s.Migrate(ctx)
}

func named(database string) string {
	u, err := url.Parse(address)
	if err != nil {
		return ""
	}
	u.Path = "/" + database
	return u.String()
}

// Create makes a database of the test's own and returns its address; it goes
// with the test.
func Create(t testing.TB) string {
	t.Helper()
	once.Do(start)
	if problem != nil {
		t.Fatalf("start PostgreSQL for the tests: %v", problem)
	}
	return CopyOf(t, template)
}

// Empty is Create without any tables.
func Empty(t testing.TB) string {
	t.Helper()
	once.Do(start)
	if problem != nil {
		t.Fatalf("start PostgreSQL for the tests: %v", problem)
	}
	return CopyOf(t, "template0")
}

// CopyOf is Create from a database that Keep named.
func CopyOf(t testing.TB, from string) string {
	t.Helper()
	name := fmt.Sprintf("t%d_%d", os.Getpid(), time.Now().UnixNano())
	copyDatabase(t, from, name)
	t.Cleanup(func() {
		ctx := context.Background()
		connection, err := pgx.Connect(ctx, address)
		if err != nil {
			return
		}
		defer connection.Close(ctx)
		_, _ = connection.Exec(ctx, fmt.Sprintf("drop database if exists %s with (force)", name))
	})
	return named(name)
}

// Keep copies a test's database, which nobody may be connected to, so that
// other tests can have copies of it.
func Keep(t testing.TB, from string) string {
	t.Helper()
	u, err := url.Parse(from)
	if err != nil {
		t.Fatal(err)
	}
	name := fmt.Sprintf("kept%d_%d", os.Getpid(), time.Now().UnixNano())
	copyDatabase(t, strings.TrimPrefix(u.Path, "/"), name)
	return name
}

func copyDatabase(t testing.TB, from, to string) {
	t.Helper()
	ctx := context.Background()
	connection, err := pgx.Connect(ctx, address)
	if err != nil {
		t.Fatal(err)
	}
	defer connection.Close(ctx)
	// One copy at a time: a template that is being copied may not be copied.
	if _, err := connection.Exec(ctx, `select pg_advisory_lock(4712)`); err != nil {
		t.Fatal(err)
	}
	if _, err := connection.Exec(ctx, fmt.Sprintf("create database %s template %s", to, from)); err != nil {
		t.Fatal(err)
	}
}

// Open is Create with a store on the database.
func Open(t testing.TB) *store.Store {
	t.Helper()
	s, err := store.Open(context.Background(), Create(t))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	return s
}

var pools sync.Map // *store.Store: *pgxpool.Pool

// Pool reaches a store's database past its door, to look at rows, and to make what tests need.
func Pool(s *store.Store) *pgxpool.Pool {
	if found, there := pools.Load(s); there {
		return found.(*pgxpool.Pool)
	}
	made, err := pgxpool.New(context.Background(), s.Address())
	if err != nil {
		panic(err)
	}
	found, there := pools.LoadOrStore(s, made)
	if there {
		made.Close()
	}
	return found.(*pgxpool.Pool)
}
