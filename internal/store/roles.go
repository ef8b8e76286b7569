package store

import (
	"context"
	"fmt"

	"uchi/internal/core/fault"
	"uchi/internal/core/rights"

	"github.com/jackc/pgx/v5"
)

// RoleIn gives what a person may do in a workspace: what was said for it, else what they
// may do everywhere, and with a token no more than the token may, where it is for. The role of p is not asked:
// it may be that in another workspace.
func (s *Store) RoleIn(ctx context.Context, p Person, workspace string) (rights.Role, error) {
	var role rights.Role
	err := s.pool.QueryRow(ctx, `select coalesce((select role from workspace_roles where person = $1
		and workspace = $2), (select role from people where id = $1), '')`, p.ID, workspace).Scan(&role)
	switch {
	case err != nil:
		return "", fmt.Errorf("look up a role: %w", err)
	case p.Only != "" && p.Only != workspace:
		return rights.None, nil
	case p.Most != "" && role.Covers(p.Most):
		return p.Most, nil
	}
	return role, nil
}

// mostAnywhere gives the greatest role that a person has everywhere or in a workspace, no greater
// than that of the token by which they are signed in. A token with it may in each workspace what
// they may there.
func (s *Store) mostAnywhere(ctx context.Context, p Person) (rights.Role, error) {
	rows, err := s.pool.Query(ctx, `select role from workspace_roles where person = $1`, p.ID)
	if err != nil {
		return "", fmt.Errorf("look up roles: %w", err)
	}
	roles, err := pgx.CollectRows(rows, pgx.RowTo[rights.Role])
	if err != nil {
		return "", fmt.Errorf("look up roles: %w", err)
	}
	most := p.Role
	for _, r := range roles {
		if r.Covers(most) {
			most = r
		}
	}
	if p.Most != "" && most.Covers(p.Most) {
		return p.Most, nil
	}
	return most, nil
}

// PersonIn reads one person with what they may do in a workspace.
func (s *Store) PersonIn(ctx context.Context, id int64, workspace string) (Person, error) {
	p, err := s.Person(ctx, id)
	if err != nil {
		return p, err
	}
	p.Role, err = s.RoleIn(ctx, p, workspace)
	return p, err
}

// WorkspaceRoles gives what people may do in single workspaces, by person and workspace.
func (s *Store) WorkspaceRoles(ctx context.Context) (map[int64]map[string]rights.Role, error) {
	rows, err := s.pool.Query(ctx, `select person, workspace, role from workspace_roles`)
	if err != nil {
		return nil, fmt.Errorf("list roles: %w", err)
	}
	out := map[int64]map[string]rights.Role{}
	var person int64
	var workspace string
	var role rights.Role
	_, err = pgx.ForEachRow(rows, []any{&person, &workspace, &role}, func() error {
		if out[person] == nil {
			out[person] = map[string]rights.Role{}
		}
		out[person][workspace] = role
		return nil
	})
	if err != nil {
		return nil, fmt.Errorf("list roles: %w", err)
	}
	return out, nil
}

// setRoles says what a person may do in single workspaces; an empty role lets what they
// may do everywhere hold again. It gives what was said before of these.
func setRoles(ctx context.Context, tx pgx.Tx, person int64,
	roles map[string]rights.Role) (was map[string]rights.Role, err error) {
	was = map[string]rights.Role{}
	for workspace, role := range roles {
		var before rights.Role
		err := tx.QueryRow(ctx, `select role from workspace_roles where person = $1 and workspace = $2`, person,
			workspace).Scan(&before)
		if err != nil && !IsMissing(err) {
			return nil, err
		}
		was[workspace] = before
		switch {
		case role == "":
			_, err = tx.Exec(ctx, `delete from workspace_roles where person = $1 and workspace = $2`, person, workspace)
		case role != rights.None && !role.Valid():
			return nil, fault.New(fault.Invalid, "unknown_role",
				"there is no such role").At(fault.Place{Path: "roles." + workspace}).With(string(role)).
				Mended("Roles: none, viewer, operator, administrator.")
		default:
			_, err = tx.Exec(ctx, `insert into workspace_roles (person, workspace, role) values ($1, $2, $3)
				on conflict (person, workspace) do update set role = excluded.role`, person, workspace, role)
		}
		if SQLState(err) == "23503" {
			return nil, ErrNoWorkspace.With(workspace)
		}
		if err != nil {
			return nil, err
		}
	}
	return was, nil
}
