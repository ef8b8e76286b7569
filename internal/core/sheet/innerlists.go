package sheet

import (
	"cmp"
	"encoding/json"
	"io"
	"path"
	"regexp"
	"slices"
	"strings"

	"uchi/internal/core/fault"
)

// Objects of JSON may hold lists of objects themselves: the people of a company, the items of an offer. A
// list that never has more than one is as good as the object in it, and read so. One that has more is a table
// of its own, which can be read in the place of the objects: each row is one of its items, behind the number
// of the object that it stands in. One of names and values (fields that somebody has added, answers to the
// questions of a form), whose names come again from object to object, is read as the members that it stands for.

// innerList is what is known of the lists that stand under one name in each object.
type innerList struct {
	most   int  // of objects, in one of them
	mixed  bool // something else stands in it as well
	within bool // it stands in another list
	told   bool // each object is a name and a value, and no name comes twice in a list
	lists  int  // that hold any
	total  int  // of objects, in all of them
	labels map[string]bool
}

// mostLabels is how many names the fields that somebody has added may have at most.
const mostLabels = 100

// pairs reports whether such lists are names and values that stand for members: where several lists were seen, their
// names come again.
func (l *innerList) pairs() bool {
	return l.told && len(l.labels) <= mostLabels && (l.lists == 1 || len(l.labels) < l.total)
}

// table reports whether the items of such lists are rows of a table of their own.
func (l *innerList) table() bool { return !l.mixed && !l.within && !l.pairs() && l.most > 1 }

// single reports whether a list is as good as what stands in it.
func (l *innerList) single() bool { return !l.mixed && (l.pairs() || l.most <= 1) }

// item is an object within a list, as its members' names and values.
type item struct{ names, values []string }

// What the two members of a name and its value are called.
var (
	namesOfPairs  = []string{"name", "key", "label", "field", "question", "attribute", "fieldName", "field_name"}
	valuesOfPairs = []string{"value", "val", "answer", "fieldValue", "field_value"}
)

// pair gives the name and the value that an item of a list stands for; ok is false where it is none.
func (o item) pair(list string) (name, value string, ok bool) {
	if len(o.names) != 2 {
		return "", "", false
	}
	for n, member := range o.names {
		other := strings.TrimPrefix(o.names[1-n], list+".")
		if slices.Contains(namesOfPairs, strings.TrimPrefix(member, list+".")) && slices.Contains(valuesOfPairs, other) {
			return strings.TrimSpace(o.values[n]), o.values[1-n], strings.TrimSpace(o.values[n]) != ""
		}
	}
	return "", "", false
}

// inPairs reports whether all items of a list are such, each with another name, and takes note of the names.
func (l *innerList) inPairs(list string, objects []item) bool {
	seen := map[string]bool{}
	for _, o := range objects {
		name, _, ok := o.pair(list)
		if !ok || seen[name] {
			return false
		}
		seen[name], l.labels[name] = true, true
	}
	return true
}

// shapeOfObjects is what the first objects of a source show.
type shapeOfObjects struct {
	lists map[string]*innerList
	order []string            // the names of the lists, as they come
	texts map[string][]string // what stands in the objects themselves, by name
	names []string            // of these, as they come
	seen  int
}

// note takes note of a list of some objects and other things under a name.
func (s *shapeOfObjects) note(name string, objects []item, others int, within bool) {
	l := s.lists[name]
	if l == nil {
		if len(objects) == 0 {
			return
		}
		l = &innerList{told: true, labels: map[string]bool{}}
		s.lists[name], s.order = l, append(s.order, name)
	}
	l.most, l.mixed, l.within = max(l.most, len(objects)), l.mixed || others > 0, l.within || within
	l.told, l.total = l.told && l.inPairs(name, objects), l.total+len(objects)
	if len(objects) > 0 {
		l.lists++
	}
}

// add takes note of the members of an object.
func (s *shapeOfObjects) add(names, values []string) {
	s.seen++
	for n, name := range names {
		if _, known := s.texts[name]; !known {
			s.names = append(s.names, name)
		}
		s.texts[name] = append(s.texts[name], values[n])
	}
}

// tables gives the names of the lists that are tables.
func (s *shapeOfObjects) tables() (names []string) {
	for _, name := range s.order {
		if s.lists[name].table() {
			names = append(names, name)
		}
	}
	return names
}

// ownNumber is what the number of a thing is called, alone or behind what it is of: id, accountId, deal_no.
var ownNumber = regexp.MustCompile(`(?:^|[_\W])(?i:` + numberWords + `)$|[a-z](?:Id|ID|No|Nr|Number|Code|Key|Ref|Uuid)$`)

// bareNumber is such a name alone.
var bareNumber = regexp.MustCompile(`^_?(?i:` + numberWords + `)$`)

const numberWords = `id|no|nr|num|number|code|key|ref|reference|uuid|guid|nummer|numero|número|numéro|numer|codice|código|codigo|kod|kode|tunnus`

// number gives the name under which the number stands by which the objects are told apart: one that is called a
// number, else any that stands in each with another text; empty where there is none.
func (s *shapeOfObjects) number() string {
	tells := func(name string) bool {
		texts := slices.Clone(s.texts[name])
		slices.Sort(texts)
		return len(texts) == s.seen && texts[0] != "" && len(slices.Compact(texts)) == s.seen && !strings.Contains(name, ".") &&
			s.lists[name] == nil
	}
	called := slices.IndexFunc(s.names, func(name string) bool { return ownNumber.MatchString(name) && tells(name) })
	if called >= 0 {
		return s.names[called]
	}
	if any := slices.IndexFunc(s.names, tells); any >= 0 {
		return s.names[any]
	}
	return ""
}

// Objects is what the objects of a document are called among its tables where their list has no name.
const Objects = "objects"

// mainList is what the objects themselves are called among the tables of a document: by the name of their list,
// if it has one.
func mainList(list listPlace) string {
	return cmp.Or(list.path[strings.LastIndexByte(list.path, '.')+1:], Objects)
}

// shapeOf looks at the first objects of a source.
func (j *jsonLines) shapeOf() (*shapeOfObjects, error) {
	j.learned = &shapeOfObjects{lists: map[string]*innerList{}, texts: map[string][]string{}}
	j.learns = true
	for range headerLines {
		names, values, err := j.object()
		if fault.Is(err, badLine) { // which is said when it is read
			if j.byLine {
				continue
			}
			break
		}
		if err == io.EOF {
			break
		}
		if err != nil {
			return nil, err
		}
		j.learned.add(names, values)
	}
	return j.learned, nil
}

// numberCalled is the header of the column that holds the number of the object that an item stands in: a bare
// “id” says whose.
func (j *jsonLines) numberCalled(names []string) string {
	number := j.number.name
	if bareNumber.MatchString(number) || slices.Contains(names, number) {
		of := j.main
		if of == Objects { // they have no name but that of the file
			base := path.Base(j.src.Name)
			of = strings.TrimSuffix(base, path.Ext(base))
		}
		return of + "." + number
	}
	return number
}

// inList reads what stands in a list, whose bracket has been read.
func (j *jsonLines) inList(d *json.Decoder, name string, depth int, names, values *[]string) error {
	var texts []string
	var all, objects []item
	others := 0
	j.within++
	for n := 0; d.More(); n++ {
		if n == mostItems {
			return fault.Newf(fault.TooLarge, "too_many_items", "a list within an object holds more than %d items",
				mostItems).Mended("Send these as a document of their own.")
		}
		var inner, said []string
		if err := j.member(d, name, depth+1, &inner, &said); err != nil {
			return err
		}
		texts = append(texts, said...)
		all = append(all, item{inner, said})
		if len(inner) > 0 && inner[0] == name { // no object
			others++
			continue
		}
		objects = append(objects, item{inner, said})
	}
	j.within--
	if _, err := d.Token(); err != nil {
		return err
	}
	if j.learns {
		j.learned.note(name, objects, others, j.within > 0)
	}
	if name == j.list { // what is no object, as the first lists had none, stands in a row of its own
		j.items = append(j.items, all...)
	}
	if l := j.learned.lists[name]; l == nil || !l.single() || others > 0 {
		*names, *values = append(*names, name), append(*values, strings.Join(texts, "; "))
		return nil
	}
	pairs, told := j.learned.lists[name].pairs(), map[string]int{}
	for n, o := range objects {
		if label, said, ok := o.pair(name); pairs && ok {
			label = fault.Cut(j.pairCalled(name, label), mostName/4)
			if told[label]++; told[label] > 1 { // which the first objects had not
				label += "." + itoa(told[label])
			}
			*names, *values = append(*names, label), append(*values, said)
			continue
		}
		for m, member := range o.names {
			if n > 0 { // which the first objects had not
				member = name + "." + itoa(n+1) + strings.TrimPrefix(member, name)
			}
			*names, *values = append(*names, member), append(*values, o.values[m])
		}
	}
	if len(*names) > j.limits.Columns {
		return tooManyColumns(j.limits)
	}
	return nil
}

// pairCalled is the header of what stands in a list of names and values under a name: the name alone, which is what
// people call it, where nothing else is called so.
func (j *jsonLines) pairCalled(list, name string) string {
	_, taken := j.learned.texts[name]
	for other, l := range j.learned.lists {
		if l.pairs() && other != list {
			_, there := j.learned.texts[other+"."+name]
			taken = taken || there
		}
	}
	if taken || j.learns {
		return list + "." + name
	}
	return name
}

// nextItem reads the next item of the list that is read, with the number of its object before it.
func (j *jsonLines) nextItem() (names, values []string, err error) {
	for len(j.items) == 0 {
		all, texts, err := j.object()
		if j.byLine && fault.Is(err, badLine) { // which is a row of the objects
			continue
		}
		if err != nil {
			return nil, nil, err
		}
		j.number.text = ""
		if at := slices.Index(all, j.number.name); at >= 0 {
			j.number.text = texts[at]
		}
	}
	one := j.items[0]
	j.items = j.items[1:]
	j.rows++
	if j.number.called != "" {
		names, values = []string{j.number.called}, []string{j.number.text}
	}
	for n, name := range one.names {
		names, values = append(names, strings.TrimPrefix(name, j.list+".")), append(values, one.values[n])
	}
	return names, values, nil
}

// tablesOfJSON gives the tables of a document: the objects, and the lists within them that are tables; none
// but the objects for most.
func tablesOfJSON(src Source, encoding string) (names []string, err error) {
	j, err := openJSON(src, encoding, DefaultLimits)
	if err != nil {
		return nil, err
	}
	shape, err := j.shapeOf()
	if err != nil {
		return nil, err
	}
	return append([]string{j.main}, shape.tables()...), nil
}

// partsOfJSON gives these as parts; where there is but one, the document is it.
func partsOfJSON(src Source) ([]Part, error) {
	names, err := tablesOfJSON(src, "")
	if err != nil {
		return nil, err
	}
	if len(names) < 2 {
		return []Part{{}}, nil
	}
	var list []Part
	for _, name := range names {
		list = append(list, Part{Sheet: name, inner: true})
	}
	return list, nil
}
