package catalog

import (
	"fmt"
	"reflect"
	"testing"
)

// A copy says the same and shares nothing, whatever is added to the description of a type.
func TestCopySharesNothing(t *testing.T) {
	var full RecordType
	fill(reflect.ValueOf(&full).Elem())
	copied := full.Copy()
	if !reflect.DeepEqual(full, copied) {
		t.Errorf("the copy differs:\n%+v\n%+v", full, copied)
	}
	seen := map[uintptr]string{}
	walk(reflect.ValueOf(full), "type", func(at uintptr, path string) { seen[at] = path })
	walk(reflect.ValueOf(copied), "type", func(at uintptr, path string) {
		if seen[at] != "" {
			t.Errorf("%s is shared", path)
		}
	})
	if len(seen) < 15 {
		t.Errorf("only %d parts were looked at", len(seen))
	}
}

// fill puts something into every part of a value.
func fill(v reflect.Value) {
	switch v.Kind() {
	case reflect.Struct:
		for i := range v.NumField() {
			fill(v.Field(i))
		}
	case reflect.Slice:
		v.Set(reflect.MakeSlice(v.Type(), 2, 2))
		for i := range v.Len() {
			fill(v.Index(i))
		}
	case reflect.Map:
		key, value := reflect.New(v.Type().Key()).Elem(), reflect.New(v.Type().Elem()).Elem()
		fill(key)
		fill(value)
		v.Set(reflect.MakeMap(v.Type()))
		v.SetMapIndex(key, value)
	case reflect.Pointer:
		v.Set(reflect.New(v.Type().Elem()))
		fill(v.Elem())
	case reflect.String:
		v.SetString("x")
	case reflect.Bool:
		v.SetBool(true)
	case reflect.Int:
		v.SetInt(7)
	case reflect.Float64:
		v.SetFloat(7)
	default:
		panic(fmt.Sprintf("nothing fills a %s", v.Kind()))
	}
}

// walk tells every piece of memory that a value points to.
func walk(v reflect.Value, path string, tell func(at uintptr, path string)) {
	switch v.Kind() {
	case reflect.Struct:
		for i := range v.NumField() {
			walk(v.Field(i), path+"."+v.Type().Field(i).Name, tell)
		}
	case reflect.Slice:
		tell(v.Pointer(), path)
		for i := range v.Len() {
			walk(v.Index(i), fmt.Sprintf("%s[%d]", path, i), tell)
		}
	case reflect.Map:
		tell(v.Pointer(), path)
		for _, k := range v.MapKeys() {
			walk(v.MapIndex(k), path+"["+k.String()+"]", tell)
		}
	case reflect.Pointer:
		tell(v.Pointer(), path)
		walk(v.Elem(), path, tell)
	}
}
