package store

import (
	"context"
	"fmt"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/schema"

	"github.com/jackc/pgx/v5"
)

// Copy says what a new workspace is a copy of.
type Copy struct {
	From  string // a workspace; empty makes one with the standard record types
	Share int    // of its records, how many of a hundred come along, with all that they refer to
}

// CopyWorkspace makes a workspace with the record types, rules, routines, views and
// choices of another, and with what people may do there. Records that are to come along are
// copied afterwards (see ClaimCopy). The history and the imports stay behind.
func (s *Store) CopyWorkspace(ctx context.Context, name, label string, from Copy, by int64) error {
	if from.From == "" {
		return s.AddWorkspace(ctx, name, label, by)
	}
	if from.Share < 0 || from.Share > 100 {
		return fault.New(fault.Invalid, "bad_share",
			"of a hundred records, none to "+
				"a hundred come along").At(fault.Place{Path: "share"}).With(fmt.Sprint(from.Share)).Mended("Give a whole number, such as 10.")
	}
	if err := s.MustWorkspace(ctx, from.From); err != nil {
		return err
	}
	name, label, err := named(name, label)
	if err != nil {
		return err
	}
	c, err := s.Catalog(ctx, from.From)
	if err != nil {
		return err
	}
	err = s.logged(ctx, Entry{Person: by, Workspace: name, Action: "copy workspace " + from.From, Subject: name},
		func(tx pgx.Tx) error {
			_, err := tx.Exec(ctx, `
			insert into workspaces (name, label, nothing)
			select $1, $2, nothing from workspaces where name = $3`, name, label, from.From)
			if err != nil {
				return err
			}
			if _, err := tx.Exec(ctx, `create schema `+schema.Workspace(name)); err != nil {
				return err
			}
			if err := copyTypes(ctx, tx, c, name, from.From); err != nil {
				return err
			}
			for _, list := range []string{
				`insert into routines (workspace, name, type, headers, document, changed_by)
				select $1, name, type, headers, document, changed_by from routines where workspace = $2`,
				`insert into header_choices (workspace, type, header, field)
				select $1, type, header, field from header_choices where workspace = $2`,
				`insert into weights (workspace, type, document, pairs, share, made_by, made_at)
				select $1, type, document, pairs, share, made_by, made_at from weights where workspace = $2`,
				`insert into views (workspace, type, name, document, shared, owner)
				select $1, type, name, document, shared, owner from views where workspace = $2`,
				`insert into workspace_roles (person, workspace, role) -- who may not look at the one may not look at the other
				select person, $1, role from workspace_roles where workspace = $2`,
			} {
				if _, err := tx.Exec(ctx, list, name, from.From); err != nil {
					return err
				}
			}
			if from.Share == 0 {
				return nil
			}
			_, err = tx.Exec(ctx, `insert into copies (workspace, source, share, asked_by) values ($1, $2, $3, $4)`, name,
				from.From, from.Share, by)
			return err
		})
	return workspaceTrouble(err, name)
}

// copyTypes makes the tables of record types as they are in another workspace.
func copyTypes(ctx context.Context, tx pgx.Tx, c catalog.Catalog, name, from string) error {
	_, err := tx.Exec(ctx, `
		insert into record_types (workspace, name, position, version, document, next_id, edition, learned)
		select $1, name, position, version, document, next_id, $3, learned from record_types where workspace = $2`, name,
		from, schema.Edition)
	if err != nil {
		return err
	}
	for _, t := range c.Types {
		if err := runDDL(ctx, tx, schema.Make(name, t)); err != nil {
			return fmt.Errorf("record type %s: %w", t.Name, err)
		}
	}
	return nil
}

// RenameWorkspace gives a workspace other words for people; its name in addresses and
// commands stays.
func (s *Store) RenameWorkspace(ctx context.Context, name, label string, by int64) error {
	if label = strings.TrimSpace(label); label == "" {
		return fault.New(fault.Invalid, "bad_name",
			"a workspace needs words for people").At(fault.Place{Path: "label"}).Mended("Give it a label, such as Practice.")
	}
	return s.logged(ctx, Entry{Person: by, Workspace: name, Action: "rename workspace", Subject: label},
		func(tx pgx.Tx) error {
			tag, err := tx.Exec(ctx, `update workspaces set label = $2 where name = $1`, name, label)
			if err == nil && tag.RowsAffected() == 0 {
				return ErrNoWorkspace.With(name)
			}
			return err
		})
}

// Held is what a workspace holds, in numbers.
type Held struct {
	Records  int64 `db:"records" json:"records"`
	Imports  int64 `db:"imports" json:"imports"`
	Routines int64 `db:"routines" json:"routines"`
	Busy     int64 `db:"busy" json:"busy"` // imports at work
}

// Holds counts what would go with a workspace.
func (s *Store) Holds(ctx context.Context, name string) (h Held, err error) {
	if err := s.MustWorkspace(ctx, name); err != nil {
		return h, err
	}
	counts, err := s.CountRecords(ctx, name)
	if err != nil {
		return h, err
	}
	for _, n := range counts {
		h.Records += n
	}
	err = s.pool.QueryRow(ctx, `
		select (select count(*) from imports where workspace = $1), (select count(*) from routines where workspace = $1),
			(select count(*) from imports where workspace = $1 and run is not null)`, name).Scan(&h.Imports,
		&h.Routines, &h.Busy)
	if err != nil {
		return h, fmt.Errorf("count what the workspace holds: %w", err)
	}
	return h, nil
}

var errMainStays = fault.New(fault.Conflict, "workspace_stays",
	"the main workspace stays").Mended("Undo its imports, if its records are to go.")

// MainWorkspace is the one that is always there.
const MainWorkspace = "main"

// RemoveWorkspace removes a workspace with all that it holds; records must be the
// number that it holds, so that nobody removes more than they have seen.
func (s *Store) RemoveWorkspace(ctx context.Context, name string, records int64, by int64) error {
	if name == MainWorkspace {
		return errMainStays.With(name)
	}
	h, err := s.Holds(ctx, name)
	if err != nil {
		return err
	}
	switch {
	case h.Busy > 0:
		return workspaceBusy(name)
	case h.Records != records:
		return fault.New(fault.Conflict, "not_confirmed",
			fmt.Sprintf("the workspace holds %d records, %d imports and %d routines, which would go", h.Records, h.Imports,
				h.Routines)).
			With(name).Mended(fmt.Sprintf("Say that you mean it by the number of its records: %d.", h.Records))
	}
	// What is still copied into it ends first, for it holds the tables.
	if err := s.EndCopy(ctx, name, "",
		&Trouble{Code: "given_up", Message: "the copying was given up, because the workspace was to be removed",
			Mend: "Remove it, and copy again."}); err != nil {
		return err
	}
	return s.whileNoneIsMade(ctx, func() error {
		return s.logged(ctx, Entry{Person: by, Workspace: name, Action: "remove workspace",
			Subject: fmt.Sprintf("%s with %d records and %d imports", name, h.Records, h.Imports)}, func(tx pgx.Tx) error {
			var busy bool // as it is now, with nothing begun until this is through
			if _, err := tx.Exec(ctx, `select from imports where workspace = $1 for update`, name); err != nil {
				return err
			}
			if err := tx.QueryRow(ctx, `select exists (select from imports where workspace = $1 and run is not null)`,
				name).Scan(&busy); err != nil {
				return err
			}
			if busy {
				return workspaceBusy(name)
			}
			rows, err := tx.Query(ctx, `
			select quote_ident(t.tablename::text) from pg_tables t
			where t.schemaname = 'staging' and exists (select from imports i where i.workspace = $1
			and t.tablename ~ ('^i' || i.id || '_'))`, name)
			if err != nil {
				return err
			}
			tables, err := pgx.CollectRows(rows, pgx.RowTo[string])
			if err != nil {
				return err
			}
			for _, t := range tables {
				if _, err := tx.Exec(ctx, `drop table staging.`+t); err != nil {
					return err
				}
			}
			for _, gone := range []string{
				`delete from run_records where piece in (select r.piece from runs r join imports i on i.id = r.import
					where i.workspace = $1)`,
				`delete from touched_rows where import in (select id from imports where workspace = $1)`,
				`delete from runs where import in (select id from imports where workspace = $1)`,
				`delete from imports where workspace = $1`,
				`delete from routines where workspace = $1`,
				`delete from header_choices where workspace = $1`,
				`delete from weights where workspace = $1`,
				`delete from likeness_keys where workspace = $1`,
				`delete from notes where workspace = $1`,
				`delete from record_types where workspace = $1`,
				`delete from copy_progress where workspace = $1`,
				`delete from workspaces where name = $1`,
			} {
				if _, err := tx.Exec(ctx, gone, name); err != nil {
					return err
				}
			}
			_, err = tx.Exec(ctx, `drop schema `+schema.Workspace(name)+` cascade`)
			return err
		})
	})
}

func workspaceBusy(name string) error {
	return fault.New(fault.Conflict, "workspace_busy",
		"imports of the workspace are at work").With(name).Mended("Wait for them, or cancel them.")
}
