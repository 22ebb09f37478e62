package livelog_test

import (
	"fmt"
	"strings"

	"ironthread/core/livelog"
)

const logged = `time;coolant;fan low
0;88,0;0
1;91,0;0
2;95,5;1
3;96,0;1
4;90,0;0
`

// The head of a log says which column is what, as far as the headings tell.
func ExampleReadHead() {
	head, err := livelog.ReadHead(strings.NewReader(logged), []string{"low"})
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Println(head.Columns, string(head.Separator), head.Guess.Coolant)
	// Output: [time coolant fan low] ; coolant
}

// A log is read row by row for when each stage came on and went off.
func ExampleAnalyse() {
	a, err := livelog.Analyse(strings.NewReader(logged),
		livelog.Mapping{Time: "time", Coolant: "coolant", Commands: map[string]string{"low": "fan low"}})
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Printf("%d rows; %s came on at %.0f °C and went off at %.0f\n", a.Rows, a.Stages[0].Command, a.Stages[0].On, a.Stages[0].Off)
	// Output: 5 rows; low came on at 96 °C and went off at 90
}
