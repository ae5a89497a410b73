package catalog

import (
	"time"

	"pikegate/internal/core/civil"
)

// Source is a database that holds business records.
type Source struct {
	Name     string
	Title    string
	Zone     *time.Location // the business's time zone
	Clock    string         // what people call its time: "Harbour time"
	At       Connection
	Counting Counting
}

// Counting is how the records of a source may be counted in the background.
type Counting struct {
	Off bool
	// Share is how many of the places for runs counting may take: 1, or 0 where a slice is
	// begun only while nobody reads.
	Share int
	Hours civil.TimeRange // when it may, by the clock of the source's zone; the zero TimeRange at any hour
	// AgainAfter is the age from which on counts are made anew where the data changed, or may
	// have changed since the database gives no sign.
	AgainAfter time.Duration
}

// UsualCounting is how records are counted where a source says nothing of it.
var UsualCounting = Counting{Share: 1, AgainAfter: 24 * time.Hour}

// Engine is what kind of database a source is.
type Engine string

const (
	Embedded Engine = "embedded" // the SQLite file of the service
	SQLite   Engine = "sqlite"   // an SQLite file
	Postgres Engine = "postgres"
	MariaDB  Engine = "mariadb"
)

// Engines lists them in the order of the reference.
var Engines = []Engine{Embedded, SQLite, Postgres, MariaDB}

// Connection is how a source is reached, and what it may be asked for. Two of them
// are the same where they are equal.
type Connection struct {
	Engine   Engine
	File     string        // of an SQLite file; relative names lie in the service's directory
	Address  Reference     // of a server: a URL
	Password Reference     // of a server, where the address has none
	Schema   string        // of a server, "" for the one that the address leads to
	Time     time.Duration // the longest that a statement may take, 0 for as long as a run may
	Rows     int           // the most rows of a result, 0 for any number
	AtOnce   int           // the most runs at once
	Waiting  int           // the most runs that wait for their turn
}

// IsSQLite reports whether the database is an SQLite file.
func (c Connection) IsSQLite() bool { return c.Engine == Embedded || c.Engine == SQLite }

// Place is where it leads, without what may be asked for there.
func (c Connection) Place() Connection {
	return Connection{Engine: c.Engine, File: c.File, Address: c.Address, Password: c.Password, Schema: c.Schema}
}

// Reference is where something secret is kept: in a variable of the environment, or
// in a file.
type Reference struct{ Env, File string }
