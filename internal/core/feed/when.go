package feed

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"uchi/internal/core/fault"

	"github.com/robfig/cron/v3"
)

// When says when a feed looks for files: a cron expression of five parts (minute, hour,
// day of month, month, day of week; POSIX crontab) on the clock of a time zone.
type When struct {
	Cron string `json:"cron,omitempty" yaml:"cron,omitempty"`
	Zone string `json:"zone,omitempty" yaml:"zone,omitempty"` // of the IANA database; UTC when blank
}

// Check says what is wrong with it.
func (w When) Check() error {
	if _, err := time.LoadLocation(w.Zone); err != nil {
		return fault.New(fault.Invalid, "unknown_zone",
			"there is no such time zone").At(fault.Place{Path: "when.zone"}).With(w.Zone).
			Mended("For example: Europe/Oslo.")
	}
	if w.Cron == "" {
		return nil
	}
	s, err := w.schedule()
	if err == nil && s.Next(time.Now()).IsZero() {
		err = fmt.Errorf("it never comes")
	}
	if err != nil {
		return fault.New(fault.Invalid, "bad_cron", "the time cannot be read: "+
			err.Error()).At(fault.Place{Path: "when.cron"}).With(w.Cron).
			Mended("Minute, hour, day of month, month, day of week: 30 6 * * 1-5 is half past six on weekdays.")
	}
	return nil
}

func (w When) schedule() (cron.Schedule, error) {
	if strings.Contains(w.Cron, "TZ=") || strings.HasPrefix(strings.TrimSpace(w.Cron), "@") {
		return nil, fmt.Errorf("it has five parts, and the zone stands apart")
	}
	zone := w.Zone
	if zone == "" {
		zone = "UTC"
	}
	return cron.ParseStandard("CRON_TZ=" + zone + " " + w.Cron)
}

// Next gives the first time behind another; the zero time when there is none. A time
// that the clock skips in spring comes as soon as the clock goes on; one that it shows
// twice in autumn comes once.
func (w When) Next(after time.Time) time.Time {
	if w.Cron == "" {
		return time.Time{}
	}
	s, err := w.schedule()
	if err != nil {
		return time.Time{}
	}
	next := s.Next(after)
	if gap := w.skipped(after, next); !gap.IsZero() {
		return gap
	}
	if again(next, w.Zone) && !hourly(w.Cron) { // the same hour on the clock, for the second time
		return w.Next(next)
	}
	return next
}

// skipped finds a time between two that the clock of the zone has skipped, by asking
// for it in the same hours of a clock that skips nothing.
func (w When) skipped(after, next time.Time) time.Time {
	zone, err := time.LoadLocation(w.Zone)
	if err != nil || hourly(w.Cron) {
		return time.Time{}
	}
	plain, err := When{Cron: w.Cron}.schedule()
	if err != nil {
		return time.Time{}
	}
	wall := func(t time.Time) time.Time {
		t = t.In(zone)
		return time.Date(t.Year(), t.Month(), t.Day(), t.Hour(), t.Minute(), t.Second(), 0, time.UTC)
	}
	for at := plain.Next(wall(after)); !at.IsZero() && at.Before(wall(next)); at = plain.Next(at) {
		there := time.Date(at.Year(), at.Month(), at.Day(), at.Hour(), at.Minute(), 0, 0, zone)
		if there.Hour() != at.Hour() || there.Minute() != at.Minute() { // this clock never shows it
			if there.After(after) {
				return there
			}
		}
	}
	return time.Time{}
}

// again reports whether the clock has shown the same time an hour before.
func again(t time.Time, zone string) bool {
	in, err := time.LoadLocation(zone)
	if err != nil || t.IsZero() {
		return false
	}
	t = t.In(in)
	before := t.Add(-time.Hour)
	return before.Hour() == t.Hour() && before.Minute() == t.Minute()
}

// hourly reports whether an expression is of every hour or several, so that nothing is
// made up for one that is skipped, or left out for one that comes twice.
func hourly(expression string) bool {
	parts := strings.Fields(expression)
	return len(parts) == 5 && strings.ContainsAny(parts[1], "*/,-")
}

// NextTimes gives the next times, at most so many.
func (w When) NextTimes(after time.Time, most int) (list []time.Time) {
	for range most {
		if after = w.Next(after); after.IsZero() {
			break
		}
		list = append(list, after)
	}
	return list
}

var weekdays = []string{"Sunday", "Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday"}

// Words says a time as people do, as far as there are words for it.
func (w When) Words() string {
	p := strings.Fields(w.Cron)
	if len(p) != 5 {
		return ""
	}
	in := ""
	if w.Zone != "" && w.Zone != "UTC" {
		in = ", " + w.Zone
	} else {
		in = ", UTC"
	}
	minute, errM := strconv.Atoi(p[0])
	hour, errH := strconv.Atoi(p[1])
	days := dayWords(p[4])
	switch {
	case p[2] != "*" && (p[3] != "*" || p[4] != "*"), p[3] != "*", days == "":
		return w.Cron + in
	case errM == nil && errH == nil && p[2] == "*":
		return fmt.Sprintf("%s at %02d:%02d%s", days, hour, minute, in)
	case errM == nil && errH == nil:
		if day, err := strconv.Atoi(p[2]); err == nil {
			return fmt.Sprintf("every month on day %d at %02d:%02d%s", day, hour, minute, in)
		}
	case errM == nil && p[1] == "*" && p[2] == "*" && p[4] == "*":
		return fmt.Sprintf("every hour at minute %d", minute)
	case p[1] == "*" && p[2] == "*" && p[4] == "*" && strings.HasPrefix(p[0], "*/"):
		return "every " + strings.TrimPrefix(p[0], "*/") + " minutes"
	case p[0] == "*" && p[1] == "*" && p[2] == "*" && p[4] == "*":
		return "every minute"
	}
	return w.Cron + in
}

// dayWords says the days of a week of an expression; empty when there are no words.
func dayWords(s string) string {
	if s == "*" {
		return "every day"
	}
	if s == "1-5" {
		return "on weekdays"
	}
	var names []string
	for part := range strings.SplitSeq(s, ",") {
		n, err := strconv.Atoi(part)
		if err != nil {
			n = slices.IndexFunc(weekdays, func(day string) bool { return strings.EqualFold(day[:3], part) })
		}
		if n < 0 || n > 7 {
			return ""
		}
		names = append(names, weekdays[n%7])
	}
	return "every " + strings.Join(names, " and ")
}
