package source

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgproto3"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/shopspring/decimal"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/compile"
)

// postgres is a PostgreSQL server. Rows come as the text that the server sends.
type postgres struct{ pool *pgxpool.Pool }

// endTime is the longest that the end of a transaction may take.
const endTime = 5 * time.Second

// lockTime is the longest that a statement waits for a lock.
const lockTime = 5 * time.Second

func openPostgres(c catalog.Connection, rules Rules) (*postgres, error) {
	config, err := pgxpool.ParseConfig("")
	if err != nil {
		return nil, err
	}
	config.MaxConns = int32(c.AtOnce + spareConnections)
	config.MaxConnIdleTime = time.Minute
	config.AfterConnect = func(_ context.Context, c *pgx.Conn) error {
		c.PgConn().Frontend().SetMaxBodyLen(mostRow)
		return nil
	}
	// The address is looked up for each connection, so that a changed password
	// needs no new start.
	config.BeforeConnect = func(_ context.Context, to *pgx.ConnConfig) error {
		address, password, err := rules.lookUp(c)
		if err != nil {
			return err
		}
		parsed, err := pgx.ParseConfig(address)
		if err != nil {
			return failed(Unset, "its address is not of the form postgres://user@host:5432/database")
		}
		if err := reachable(&parsed.Config, address, rules); err != nil {
			return err
		}
		to.Config = parsed.Config
		if password != "" {
			to.Password = password
		}
		to.ConnectTimeout = openTime
		wired(&to.Config)
		for name, val := range map[string]string{
			"application_name":              "pikegate",
			"default_transaction_read_only": "on",
			"timezone":                      "UTC",
			"datestyle":                     "ISO, YMD",
			"standard_conforming_strings":   "on",
			"client_encoding":               "UTF8",
			"jit":                           "off", // it takes longer to compile our long expressions than to run them
			"lock_timeout":                  milliseconds(lockTime),
			"statement_timeout":             milliseconds(c.Time),
		} {
			to.RuntimeParams[name] = val
		}
		if c.Schema != "" {
			to.RuntimeParams["search_path"] = compile.Postgres{}.Name(c.Schema)
		}
		return nil
	}
	pool, err := pgxpool.NewWithConfig(context.Background(), config)
	if err != nil {
		return nil, err
	}
	return &postgres{pool}, nil
}

// reachable holds an address to the rules. Where it does not say whether to encrypt, a
// connection that leaves this machine is encrypted or not made: the driver would fall back
// to clear text.
func reachable(to *pgconn.Config, address string, rules Rules) error {
	said := strings.Contains(address, "sslmode=")
	hosts := append([]*pgconn.FallbackConfig{{Host: to.Host, Port: to.Port, TLSConfig: to.TLSConfig}}, to.Fallbacks...)
	hosts = slices.DeleteFunc(hosts, func(h *pgconn.FallbackConfig) bool {
		return h.TLSConfig == nil && !said && !isLoopback(h.Host)
	})
	for _, h := range hosts {
		if !rules.allowsServer(h.Host, strconv.Itoa(int(h.Port))) {
			return errServer
		}
	}
	if len(hosts) == 0 {
		return failed(Unset, "its address does not say where the server is")
	}
	to.Host, to.Port, to.TLSConfig, to.Fallbacks = hosts[0].Host, hosts[0].Port, hosts[0].TLSConfig, hosts[1:]
	return nil
}

func milliseconds(d time.Duration) string { return strconv.FormatInt(d.Milliseconds(), 10) }

func (*postgres) Dialect() compile.Dialect { return compile.Postgres{} }

func (e *postgres) Close() error {
	return closing(func() error {
		e.pool.Close()
		return nil
	})
}

func (e *postgres) view(ctx context.Context, use func(session) error) error {
	conn, err := e.begin(ctx)
	if err != nil {
		return err
	}
	defer conn.Release()
	s := &postgresSession{PgConn: conn.Conn().PgConn()}
	defer func() {
		if s.IsClosed() {
			go s.insist()
			return
		}
		end, cancel := context.WithTimeout(context.WithoutCancel(ctx), endTime)
		defer cancel()
		_ = s.Exec(end, "ROLLBACK").Close() // nothing was written; a connection that fails is not used again
		if s.custom {
			_ = s.Exec(end, "DISCARD ALL").Close()
		}
	}()
	return use(s)
}

// begin finds a connection and begins a transaction on it. Where the server is silent, the
// connections that wait for their next use are no better: all are made anew.
func (e *postgres) begin(ctx context.Context) (*pgxpool.Conn, error) {
	within, cancel := context.WithTimeout(ctx, openTime)
	defer cancel()
	conn, err := e.pool.Acquire(within)
	if err == nil {
		if err = conn.Conn().PgConn().Exec(within, "BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY").Close(); err != nil {
			conn.Release()
		}
	}
	if err = silent(ctx, within, explainPostgres(err)); errors.Is(err, errSilent) {
		e.pool.Reset()
	}
	return conn, err
}

// insist asks the server again and again to cancel what runs on a connection that
// was given up, until the server has closed it: it forgets a request that comes just
// before the statement begins.
func (s *postgresSession) insist() {
	ctx, cancel := context.WithTimeout(context.Background(), openTime)
	defer cancel()
	for {
		select {
		case <-s.CleanupDone():
			return
		case <-ctx.Done():
			return
		case <-time.After(100 * time.Millisecond):
			_ = s.CancelRequest(ctx)
		}
	}
}

type postgresSession struct {
	*pgconn.PgConn
	custom bool // custom SQL ran on it
}

func (s *postgresSession) rows(ctx context.Context, statement compile.Statement) (cursor, error) {
	s.custom = s.custom || statement.Custom
	values := make([][]byte, len(statement.Args))
	for i, arg := range statement.Args {
		switch v := arg.(type) {
		case int64:
			values[i] = strconv.AppendInt(nil, v, 10)
		case decimal.Decimal:
			values[i] = []byte(v.String())
		case bool:
			if values[i] = []byte("0"); v { // which truths and whole numbers are read from
				values[i] = []byte("1")
			}
		case string:
			values[i] = append([]byte{}, v...) // an empty text is not a missing one
		default:
			return nil, fmt.Errorf("a value of type %T cannot be bound", v)
		}
	}
	r := &postgresRows{reader: s.ExecParams(ctx, statement.SQL, values, nil, nil, nil), wire: s.CustomData()[wireKey].(*wire)}
	for _, f := range r.reader.FieldDescriptions() {
		r.types = append(r.types, f.DataTypeOID)
	}
	if r.types == nil {
		_, err := r.reader.Close()
		if err == nil {
			err = failed(Other, "the statement brings no columns")
		}
		return nil, explainPostgres(err)
	}
	return r, nil
}

// explainPostgres tells kinds of errors apart, by their SQLSTATE where they have one.
//
// One branch for each kind of error: together they are the table of what is told of it.
func explainPostgres(err error) error {
	var said *pgconn.PgError
	var own *Error
	var connecting *pgconn.ConnectError
	var long *pgproto3.ExceededMaxBodyLenErr
	switch {
	case err == nil:
		return nil
	case errors.As(err, &own):
		return own
	case errors.Is(err, context.Canceled):
		return context.Canceled // and not what the driver says of where it was going
	case errors.As(err, &connecting) && strings.Contains(err.Error(), "server refused TLS connection"):
		return failed(Unreached, "its server does not encrypt; where the network between is to be trusted, its address says so by sslmode=disable")
	case !errors.As(err, &said) && errors.As(err, &connecting):
		return unreached(err)
	case errors.Is(err, context.DeadlineExceeded):
		return context.DeadlineExceeded
	case errors.As(err, &long):
		return failed(Other, "a row is longer than %d MiB", mostRow>>20)
	case !errors.As(err, &said):
		return failed(Lost, "the connection broke off")
	}
	about := fmt.Errorf("%s (SQLSTATE %s)", said.Message, said.Code)
	trouble := Other
	switch class := said.Code[:2]; {
	case class == "28", said.Code == "3D000", said.Code == "42501":
		trouble = Refused
		if class == "28" {
			about = errors.New("the server refused the user or the password")
		}
	case class == "42", said.Code == "3F000":
		trouble = Changed
	case class == "22":
		trouble = Unfit
	case said.Code == "55P03":
		trouble = Locked
	case said.Code == "57014" && strings.Contains(said.Message, "statement timeout"):
		trouble = TooLong
	case class == "53":
		trouble = Unreached
	case class == "57":
		trouble = Lost
	}
	return &Error{Trouble: trouble, Code: said.Code, Err: about, Near: quotedIn(said.Message)}
}

func (*postgres) inspection() inspection {
	const named = "to_regclass(quote_ident($1::text))"
	return inspection{
		explain: "EXPLAIN", planned: plannedPostgres,
		rights: `SELECT (SELECT count(*) FROM pg_roles WHERE rolname = current_user AND (rolsuper OR rolcreatedb OR rolcreaterole))
			+ (SELECT count(*) FROM pg_class WHERE relnamespace = current_schema()::regnamespace AND relkind IN ('r', 'p') AND has_table_privilege(oid, 'INSERT, UPDATE, DELETE, TRUNCATE'))`,
		tables: `SELECT relname::text, CASE relkind WHEN 'v' THEN 'view' WHEN 'm' THEN 'view' ELSE 'table' END FROM pg_class
			WHERE relnamespace = current_schema()::regnamespace AND relkind IN ('r', 'p', 'v', 'm', 'f') AND NOT relispartition ORDER BY relname::text COLLATE "C"`,
		columns: `SELECT a.attname::text, format_type(a.atttypid, a.atttypmod), a.attnotnull, a.atttypid IN ('text'::regtype, 'varchar'::regtype),
				coalesce(c.collname IN ('C', 'POSIX') OR c.collname = 'default' AND d.datcollate IN ('C', 'POSIX', 'C.UTF-8', 'C.utf8') AND coalesce(to_jsonb(d) ->> 'datlocprovider', 'c') = 'c', false)
					AND a.atttypid IN ('text'::regtype, 'varchar'::regtype),
				coalesce(array_position(string_to_array(i.indkey::text, ' '), a.attnum::text), 0)
			FROM pg_attribute a JOIN pg_database d ON d.datname = current_database() LEFT JOIN pg_collation c ON c.oid = a.attcollation LEFT JOIN pg_index i ON i.indrelid = a.attrelid AND i.indisprimary
			WHERE a.attrelid = ` + named + ` AND a.attnum > 0 AND NOT a.attisdropped ORDER BY a.attnum`,
		indexes: `SELECT n.relname::text, i.indisunique, a.attname::text
			FROM pg_index i JOIN pg_class n ON n.oid = i.indexrelid CROSS JOIN LATERAL unnest(string_to_array(i.indkey::text, ' ')) WITH ORDINALITY AS k (attnum, place)
			JOIN pg_attribute a ON a.attrelid = i.indrelid AND a.attnum = k.attnum::integer
			WHERE i.indrelid = ` + named + ` AND i.indpred IS NULL AND i.indisvalid ORDER BY n.relname, k.place`,
		about: `SELECT coalesce(sum(greatest(c.reltuples, 0)), 0)::bigint FROM pg_class c
			WHERE c.oid = ` + named + ` OR c.oid IN (SELECT relid FROM pg_partition_tree(` + named + `) WHERE isleaf)`,
		changes: `SELECT string_agg(relid::text || ':' || n_tup_ins || '/' || n_tup_upd || '/' || n_tup_del, ' ' ORDER BY relid) FROM pg_stat_all_tables
			WHERE relid = ` + named + ` OR relid IN (SELECT relid FROM pg_partition_tree(` + named + `) WHERE isleaf)`,
	}
}
