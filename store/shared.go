package store

import (
	"context"
	"errors"
	"time"
)

// What is on its way and yet belongs to no instance: the texts that are being typed, and the studies that are being played.
// Either may be asked for at another instance than the one it was begun at.

const (
	draftsKept  = "1 hour" // a drawing is asked for within seconds
	studiesKept = "30 days"
	devicesKept = "1 year"
	sheetsKept  = "90 days"        // since somebody looked at one, to a day
	lostAfter   = 30 * time.Second // without a sign of life a study is nobody's
)

// KeepDraft keeps a text that is being typed, by its hash.
func (s *Store) KeepDraft(ctx context.Context, sum, text string) error {
	ctx, cancel := s.within(ctx)
	defer cancel()
	_, err := s.db.ExecContext(ctx, `INSERT INTO drafts (sum, text) VALUES ($1, $2) ON CONFLICT (sum) DO NOTHING`, sum, text)
	return wrap("keeping a draft", err)
}

// Draft finds a text that was being typed; ErrNotFound where there is none.
func (s *Store) Draft(ctx context.Context, sum string) (string, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	var text string
	err := s.db.GetContext(ctx, &text, `SELECT text FROM drafts WHERE sum = $1`, sum)
	if noRows(err) {
		return "", ErrNotFound
	}
	return text, wrap("finding a draft", err)
}

// KeepDrawing keeps a drawing by the hash of its harness file and the version of the rules of drawing.
func (s *Store) KeepDrawing(ctx context.Context, sum string, version int, sheet []byte) error {
	ctx, cancel := s.within(ctx)
	defer cancel()
	_, err := s.db.ExecContext(ctx, `INSERT INTO drawings (sum, version, sheet) VALUES ($1, $2, $3)
		ON CONFLICT (sum, version) DO NOTHING`, sum, version, sheet)
	return wrap("keeping a drawing", err)
}

// Drawing finds a drawing that was kept; ErrNotFound where there is none. One that nobody has looked at for a day is noted as
// looked at, so that it stays.
func (s *Store) Drawing(ctx context.Context, sum string, version int) ([]byte, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	var one struct {
		Sheet []byte `db:"sheet"`
		Old   bool   `db:"old"`
	}
	err := s.db.GetContext(ctx, &one, `SELECT sheet, used_at < now() - interval '1 day' AS old FROM drawings WHERE sum = $1 AND version = $2`,
		sum, version)
	if noRows(err) {
		return nil, ErrNotFound
	}
	if err == nil && one.Old {
		_, err = s.db.ExecContext(ctx, `UPDATE drawings SET used_at = now() WHERE sum = $1 AND version = $2`, sum, version)
	}
	return one.Sheet, wrap("finding a drawing", err)
}

// Study is how a study of a circuit stands.
type Study struct {
	Kind    string `db:"kind"`
	Playing bool   `db:"playing"` // and somebody does
	Done    int    `db:"done"`
	Total   int    `db:"total"`
	Reports []byte `db:"reports"` // JSON
	Failed  string `db:"failed"`
}

// ErrStudying says that a study is on its way already.
var ErrStudying = errors.New("store: a study is on its way")

// StudyOf finds the study of a harness file by its hash; none is an empty one.
func (s *Store) StudyOf(ctx context.Context, sum string) (Study, error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	var one Study
	err := s.db.GetContext(ctx, &one, `SELECT kind, playing AND beat > now() - make_interval(secs => $2) AS playing, done, total, reports,
		CASE WHEN playing AND beat <= now() - make_interval(secs => $2) THEN 'The study broke off with the instance that played it.'
			ELSE failed END AS failed
		FROM studies WHERE sum = $1`, sum, lostAfter.Seconds())
	if noRows(err) {
		return Study{Reports: []byte("[]")}, nil
	}
	return one, wrap("finding a study", err)
}

// BeginStudy takes a study on; ErrStudying where somebody plays it.
func (s *Store) BeginStudy(ctx context.Context, sum, kind string) error {
	ctx, cancel := s.within(ctx)
	defer cancel()
	done, err := s.db.ExecContext(ctx, `INSERT INTO studies (sum, kind) VALUES ($1, $2)
		ON CONFLICT (sum) DO UPDATE SET kind = EXCLUDED.kind, playing = true, stop = false, done = 0, total = 0, reports = '[]', failed = '',
			beat = now()
		WHERE NOT studies.playing OR studies.beat <= now() - make_interval(secs => $3)`, sum, kind, lostAfter.Seconds())
	if err != nil {
		return wrap("beginning a study", err)
	}
	if n, err := done.RowsAffected(); err != nil || n == 0 {
		return ErrStudying
	}
	return nil
}

// KeepStudy keeps how far a study has come; stop says that somebody wants it to end.
func (s *Store) KeepStudy(ctx context.Context, sum string, at Study) (stop bool, err error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	err = s.db.GetContext(ctx, &stop, `UPDATE studies SET playing = $2, done = $3, total = $4, reports = $5, failed = $6, beat = now()
		WHERE sum = $1 RETURNING stop`, sum, at.Playing, at.Done, at.Total, at.Reports, at.Failed)
	return stop, wrap("keeping a study", err)
}

// StopStudy asks whoever plays a study to end it.
func (s *Store) StopStudy(ctx context.Context, sum string) error {
	ctx, cancel := s.within(ctx)
	defer cancel()
	_, err := s.db.ExecContext(ctx, `UPDATE studies SET stop = true WHERE sum = $1`, sum)
	return wrap("stopping a study", err)
}

// Housekeep forgets what is of no use any more, and moves jobs that have been closed for so many days into the archive; none
// moves for days of zero. It may run at several instances at once.
func (s *Store) Housekeep(ctx context.Context, days int) (archived int64, err error) {
	ctx, cancel := s.within(ctx)
	defer cancel()
	for _, q := range []string{
		`DELETE FROM used_forms WHERE used_at < now() - interval '` + formsKept + `'`,
		`DELETE FROM drafts WHERE at < now() - interval '` + draftsKept + `'`,
		`DELETE FROM drawings WHERE used_at < now() - interval '` + sheetsKept + `'`,
		`DELETE FROM sessions WHERE expiry < now()`,
		`DELETE FROM attempts WHERE at < now() - interval '` + attemptsKept + `'`,
		`DELETE FROM known_devices WHERE seen_at < now() - interval '` + devicesKept + `'`,
		`DELETE FROM studies WHERE beat < now() - interval '` + studiesKept + `'`,
		// A photograph whose entry was refused, or had been taken already, belongs to nothing.
		`DELETE FROM job_photos AS p WHERE added_at BETWEEN now() - interval '8 days' AND now() - interval '1 day' AND NOT EXISTS (
			SELECT 1 FROM entries AS e WHERE e.job_id = p.job_id AND e.body->>'photo' = p.id::text)`,
	} {
		if _, err := s.db.ExecContext(ctx, q); err != nil {
			return 0, wrap("housekeeping", err)
		}
	}
	if days <= 0 {
		return 0, nil
	}
	done, err := s.db.ExecContext(ctx, `UPDATE jobs SET archived = true WHERE id IN (
		SELECT id FROM jobs WHERE closed AND NOT archived AND closed_at < now() - make_interval(days => $1) ORDER BY closed_at LIMIT $2)`,
		days, ArchivedAtOnce)
	if err != nil {
		return 0, wrap("archiving", err)
	}
	n, err := done.RowsAffected()
	return n, wrap("archiving", err)
}

// ArchivedAtOnce bounds what one call moves; where it has moved so many, the next goes on.
const ArchivedAtOnce = 5000

// Archive moves a closed job into the archive, or back into the Bay. ErrNotFound: there is no such closed job.
func (s *Store) Archive(ctx context.Context, id int64, archived bool) error {
	ctx, cancel := s.within(ctx)
	defer cancel()
	done, err := s.db.ExecContext(ctx, `UPDATE jobs SET archived = $2 WHERE id = $1 AND closed`, id, archived)
	if err != nil {
		return wrap("archiving", err)
	}
	if n, err := done.RowsAffected(); err != nil || n == 0 {
		return ErrNotFound
	}
	return nil
}
