package store

import (
	"context"
	"encoding/json"
	"fmt"
)

// Setting reads what the workshop has set into value; found is false where it has set nothing.
func (s *Store) Setting(ctx context.Context, name string, value any) (found bool, err error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	var list [][]byte
	if err := s.db.SelectContext(ctx, &list, `SELECT value FROM settings WHERE name = $1`, name); err != nil {
		return false, wrap("reading a setting", err)
	}
	if len(list) == 0 {
		return false, nil
	}
	if err := json.Unmarshal(list[0], value); err != nil {
		return false, fmt.Errorf("store: setting %q: %w", name, err)
	}
	return true, nil
}

// Set keeps what the workshop has set.
func (s *Store) Set(ctx context.Context, name string, value any) error {
	ctx, cancel := s.within(ctx)
	defer cancel()
	b, err := json.Marshal(value)
	if err != nil {
		return fmt.Errorf("store: setting %q: %w", name, err)
	}
	_, err = s.db.ExecContext(ctx, `INSERT INTO settings (name, value) VALUES ($1, $2)
		ON CONFLICT (name) DO UPDATE SET value = EXCLUDED.value`, name, b)
	return wrap("keeping a setting", err)
}
