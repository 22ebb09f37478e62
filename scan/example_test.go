package scan

import (
	"bufio"
	"context"
	"fmt"
	"net"

	"ironthread/scan/describe"
	"ironthread/scan/uds"
)

// A vehicle is spoken to over whatever carries its messages. What was commanded is given back when the link is closed.
func ExampleOver() {
	unit := &obedient{answers: make(chan Answer, 16)}
	data := &describe.Vehicle{Values: map[string]describe.Value{"coolant": {ID: uds.Coolant, Bytes: 1}},
		Outputs: map[string]describe.Output{"fan": {ID: 0xFD40}}}
	v := Over(context.Background(), unit, data, nil)
	if err := v.Command("on", map[string]float64{"fan": 100}); err != nil {
		fmt.Println(err)
		return
	}
	fmt.Println("commanded:", unit.isOn())
	v.Close()
	fmt.Println("after the link:", unit.isOn())
	// Output:
	// commanded: true
	// after the link: false
}

// A meter on the network is asked in SCPI.
func ExampleConnectMeter() {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		fmt.Println(err)
		return
	}
	defer l.Close()
	go func() { // a meter of two sentences
		conn, err := l.Accept()
		if err != nil {
			return
		}
		defer conn.Close()
		for in := bufio.NewScanner(conn); in.Scan(); {
			answer := "+1.23400000E+01"
			if in.Text() == "*IDN?" {
				answer = "BENCH,METER,0,1.0"
			}
			fmt.Fprintln(conn, answer)
		}
	}()
	m, err := ConnectMeter(context.Background(), l.Addr().String())
	if err != nil {
		fmt.Println(err)
		return
	}
	defer m.Close()
	v, err := m.Read("MEAS:VOLT:DC?")
	fmt.Println(v, err)
	// Output: 12.34 <nil>
}
