package store

import (
	"context"
	"fmt"
	"strings"
	"time"
	"unicode/utf8"

	"uchi/internal/core/fault"
	"uchi/internal/core/rights"
	"uchi/internal/core/view"

	"github.com/jackc/pgx/v5"
)

// SavedView is a record view that is kept under a name, by a person for themselves or
// for all.
type SavedView struct {
	ID        int64           `db:"id"`
	Type      string          `db:"type"`
	Name      string          `db:"name"`
	View      JSON[view.View] `db:"document"`
	Shared    bool            `db:"shared"` // everybody sees it
	Owner     int64           `db:"owner"`
	OwnerName string          `db:"owner_name"`
	Version   int             `db:"version"`
	ChangedAt time.Time       `db:"changed_at"`
}

const viewColumns = `v.id, v.type, v.name, v.document, v.shared, v.owner, p.name as owner_name, v.version, v.changed_at
	from views v join people p on p.id = v.owner`

// mostViewName is how many characters the name of a view has at most.
const mostViewName = 80

// Views lists the views of a record type, or of all with none named, that a person
// sees: their own, and those that are shared.
func (s *Store) Views(ctx context.Context, workspace, typeName string, person int64) ([]SavedView, error) {
	var list []SavedView
	err := s.db.SelectContext(ctx, &list, `
		select `+viewColumns+`
		where v.workspace = $1 and ($2 = '' or v.type = $2) and (v.shared or v.owner = $3)
		order by v.type, lower(v.name), v.id`, workspace, typeName, person)
	if err != nil {
		return nil, fmt.Errorf("list views: %w", err)
	}
	return list, nil
}

// SavedView reads a view that a person sees.
func (s *Store) SavedView(ctx context.Context, workspace string, id, person int64) (SavedView, error) {
	var v SavedView
	err := s.db.GetContext(ctx, &v, `
		select `+viewColumns+`
		where v.workspace = $1 and v.id = $2 and (v.shared or v.owner = $3)`, workspace, id, person)
	if IsMissing(err) {
		return v, unknownView(id)
	}
	if err != nil {
		return v, fmt.Errorf("read view: %w", err)
	}
	return v, nil
}

func unknownView(id int64) error {
	return fault.New(fault.NotFound, "unknown_view",
		"there is no such view, or it is somebody's own").With(fmt.Sprint(id)).Mended("See uchi views.")
}

// SaveView keeps a view, as a new one when its id is 0. A version above 0 is that
// which the change was made on: an older one is refused. Only its owner, or an
// administrator, may change one.
func (s *Store) SaveView(ctx context.Context, workspace string, v SavedView, by Person) (SavedView, error) {
	v.Name = strings.TrimSpace(v.Name)
	if n := utf8.RuneCountInString(v.Name); n == 0 || n > mostViewName {
		return v, fault.New(fault.Invalid, "bad_name", fmt.Sprintf("a view has a name of at most %d characters",
			mostViewName)).At(fault.Place{Path: "name"}).With(v.Name).Mended("Give it a name, and a shorter one.")
	}
	err := s.logged(ctx, Entry{Person: by.ID, Workspace: workspace, Action: "save view", Subject: v.Type + " " +
		v.Name}, func(tx pgx.Tx) error {
		if v.ID == 0 {
			return tx.QueryRow(ctx, `
				insert into views (workspace, type, name, document, shared, owner) values ($1, $2, $3, $4, $5, $6) returning id`,
				workspace, v.Type, v.Name, v.View, v.Shared, by.ID).Scan(&v.ID)
		}
		tag, err := tx.Exec(ctx, `
			update views set name = @name, document = @document, shared = @shared, version = version + 1, changed_at = now()
			where workspace = @workspace and id = @id and (owner = @by or @administrator)
			and (@version = 0 or version = @version)`,
			pgx.StrictNamedArgs{
				"workspace": workspace, "id": v.ID, "name": v.Name, "document": v.View, "shared": v.Shared,
				"by": by.ID, "administrator": by.Role.Covers(rights.Administrator), "version": v.Version,
			})
		if err == nil && tag.RowsAffected() == 0 {
			return s.whyNot(ctx, workspace, v.ID, by)
		}
		return err
	})
	switch {
	case SQLState(err) == "23505":
		return v, fault.New(fault.Conflict, "name_taken",
			"you have a view of this name already").With(v.Name).Mended("Choose another name, or change that view.")
	case err != nil:
		if _, ok := fault.From(err); ok {
			return v, err
		}
		return v, fmt.Errorf("save view: %w", err)
	}
	return s.SavedView(ctx, workspace, v.ID, by.ID)
}

// whyNot says why a view was not changed.
func (s *Store) whyNot(ctx context.Context, workspace string, id int64, by Person) error {
	v, err := s.SavedView(ctx, workspace, id, by.ID)
	if err != nil {
		return err
	}
	if v.Owner != by.ID && !by.Role.Covers(rights.Administrator) {
		return fault.New(fault.Denied, "not_yours", "the view is "+v.OwnerName+
			"'s").With(v.Name).Mended("Save it as a view of your own.")
	}
	return errChangedMeanwhile.With(v.Name)
}

// RemoveView forgets a view; no record is touched.
func (s *Store) RemoveView(ctx context.Context, workspace string, id int64, by Person) error {
	v, err := s.SavedView(ctx, workspace, id, by.ID)
	if err != nil {
		return err
	}
	return s.logged(ctx, Entry{Person: by.ID, Workspace: workspace, Action: "remove view", Subject: v.Type + " " +
		v.Name}, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `delete from views where id = $1 and (owner = $2 or $3)`, id, by.ID,
			by.Role.Covers(rights.Administrator))
		if err != nil {
			return fmt.Errorf("remove view: %w", err)
		}
		if tag.RowsAffected() == 0 {
			return s.whyNot(ctx, workspace, id, by)
		}
		return nil
	})
}
