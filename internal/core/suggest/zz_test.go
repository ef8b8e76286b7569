package suggest
import ("testing";"fmt";"strings")
func TestZZBare(t *testing.T){
	c := standard(t)
	right, wrong, there := 0,0,0
	for _, l := range readLabelled(t) {
		rt, _ := c.Type(l.typ)
		cols := l.columns
		for i := range cols { cols[i].Header = fmt.Sprintf("Column %d", i+1) }
		got := map[string][]string{}
		conf := map[string]float64{}
		for _, s := range Columns(rt, cols, nil) { if s.Taken { got[s.Column] = append(got[s.Column], s.Field); conf[s.Column]=s.Confidence } }
		for i, want := range l.fields {
			have := strings.Join(got[cols[i].Header], "+")
			if want != "-" { there++ }
			switch { case have==want && want != "": right++
			case have != "": wrong++; t.Logf("%s: %q taken as %s, it is %s", l.name, cols[i].Samples[:min(3,len(cols[i].Samples))], have, want) }
		}
	}
	t.Logf("bare: right %d wrong %d of %d", right, wrong, there)
}
