package jobs_test

import (
	"context"
	"fmt"
	"net"
	"net/http"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/demo"
	"ironthread/library"
	"ironthread/scan/describe"
	"ironthread/sim"
	"ironthread/soak"
	"ironthread/store"
	"ironthread/web"
	"ironthread/web/jobs"
	"ironthread/web/webtest"
)

// simulated puts a vehicle with a fault on loopback, and gives its address.
func simulated(t *testing.T, circuit string, words ...string) (*sim.Vehicle, string) {
	t.Helper()
	e, err := library.Open(circuit)
	require.NoError(t, err)
	m, err := electric.New(e.Circuit)
	require.NoError(t, err)
	var faults []fault.Fault
	for _, w := range words {
		f, err := fault.Parse(e.Circuit, w)
		require.NoError(t, err)
		faults = append(faults, f)
	}
	v, err := sim.New(m, sim.Options{}, faults...)
	require.NoError(t, err)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	ctx, stop := context.WithCancel(context.Background())
	ended := make(chan error, 1)
	go func() { ended <- sim.NewServer(v, describe.For(circuit, e.Circuit)).Serve(ctx, l, nil) }()
	t.Cleanup(func() {
		stop()
		select {
		case <-ended:
		case <-time.After(3 * time.Minute):
			t.Error("the simulated vehicle did not end")
		}
	})
	return v, l.Addr().String()
}

// Connect, command low, see nothing, record it with a relay felt; codes kept; given back on leaving. What was recorded is
// in the log and is weighed.
func TestTheScanPage(t *testing.T) {
	v, address := simulated(t, "f3-twin-series-parallel", "F3 open")
	w := webtest.OpenWith(t, web.Options{Hosts: webtest.Hosts, Circuits: webtest.Circuits, Workshop: demo.Workshop, Patience: time.Minute,
		Loopback:  true,
		Simulated: []jobs.Known{{Name: "Test rig", Harness: "f3-twin-series-parallel", Address: address}}})
	job := w.JobNamed("Gritter 6")
	webtest.Says(t, w.Get(job+"/scan").Body.String(), "Test rig, simulated")
	for bad, want := range map[string]string{
		"example.com:13400": "no address of a network of one", "8.8.8.8:13400": "no address of a network of one", "x": "is no address",
		"127.0.0.1:1": "Nothing that can be used answers at 127.0.0.1:1",
	} {
		r := w.Post(job+"/scan/connect", "address", bad)
		require.Equal(t, http.StatusUnprocessableEntity, r.Code, bad)
		webtest.Says(t, r.Body.String(), want)
	}
	webtest.Says(t, w.Post(job+"/scan/connect", "address", address, "data", "vehicle-data: 2").Body.String(), "vehicle-data: 1")
	webtest.Says(t, w.Post(job+"/scan/connect", "address", address, "data",
		"vehicle-data: 1\ncontroller: 0x1001\nharness: other").Body.String(),
		"check the model and its year")
	webtest.Says(t, w.Post(job+"/scan/command", "state", "low").Body.String(), "No vehicle is connected")

	require.Equal(t, http.StatusSeeOther, w.Post(job+"/scan/connect", "address", address).Code)
	t.Cleanup(func() { w.Post(job + "/scan/leave") })
	page := w.Get(job + "/scan").Body.String()
	webtest.Says(t, page, "SKERR0WC0VNTYW0RK")
	webtest.Says(t, page, "Nothing commanded")
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/scan/command", "state", "low").Code)
	assert.True(t, v.Stands().Tester)
	soak.Await(t, "the fan turning slowly", func() bool {
		live := w.Get(job + "/scan/live").Body.String()
		return strings.Contains(live, "Commanded <b>low</b>") && strings.Contains(live, "control module supply") &&
			strings.Contains(live, "M1 <b>slow</b>")
	})
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/scan/seen", "state", "low", "fan-s-0", "stopped", "fan-s-1", "stopped", "relay-K1",
		"click", "pin", "F3.a", "volts", "12.3").Code)
	page = w.Get(job).Body.String()
	webtest.Says(t, page, "low: M1 stopped, M2 stopped")
	webtest.Says(t, page, "low: K1: click")
	webtest.Says(t, page, "low: 12.3 V at F3.a")
	webtest.Says(t, page, "F3 open")
	webtest.Says(t, w.Post(job+"/scan/seen", "state", "low").Body.String(), "Say what a fan did")
	for hold, want := range map[string]string{"0": "1 to 120 s", "121": "1 to 120 s", "long": "1 to 120 s"} {
		webtest.Says(t, w.Post(job+"/scan/command", "state", "low", "hold", hold).Body.String(), want)
	}
	unread := w.Post(job+"/scan/codes", "clear", "1")
	assert.Equal(t, http.StatusUnprocessableEntity, unread.Code)
	webtest.Says(t, unread.Body.String(), "nothing that was not read is cleared")
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/scan/codes").Code)
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/scan/codes", "clear", "1").Code)
	webtest.Says(t, w.Get(job+"/scan").Body.String(), "None stored")
	webtest.Says(t, w.Get(job).Body.String(), "fault codes cleared, after they were kept")

	// A relay that follows another command than drawn: the page says so, and where the drawing is corrected.
	for state, word := range map[string]string{"low": "nothing", "high": "click"} {
		require.Equal(t, http.StatusSeeOther, w.Post(job+"/scan/seen", "state", state, "relay-K1", "click", "relay-K2", word).Code)
	}
	webtest.Silent(t, w.Get(job+"/scan").Body.String(), "Its line may be drawn wrong")
	for state, word := range map[string]string{"low": "click", "high": "click"} {
		require.Equal(t, http.StatusSeeOther, w.Post(job+"/scan/seen", "state", state, "relay-K2", word).Code)
	}
	page = w.Get(job + "/scan").Body.String()
	webtest.Says(t, page, "K2 clicks when K1 should")
	webtest.Says(t, page, "/harnesses/f3-twin-series-parallel/edit")

	require.NoError(t, v.Drive("speed 30"))
	asked := w.Post(job+"/scan/command", "state", "high", "leave", "low", "hold", "30")
	require.Equal(t, http.StatusConflict, asked.Code, "what is not met is asked about")
	webtest.Says(t, asked.Body.String(), "Not so now: stationary")
	webtest.Says(t, asked.Body.String(), `name="leave" value="low"`)
	webtest.Says(t, w.Post(job+"/scan/command", "state", "high", "anyway", "1").Body.String(), "not while the vehicle moves")
	require.NoError(t, v.Drive("speed 0"))
	webtest.Says(t, w.Get(job+"/scan/live").Body.String(), `<th scope="row">high</th>`)
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/scan/command", "state", "high").Code)
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/scan/leave").Code)
	assert.False(t, v.Stands().Tester, "given back on leaving")
	webtest.Says(t, w.Get(job+"/scan/live").Body.String(), "The connection to the vehicle has ended")
}

// Two jobs at one vehicle: the second sees who commands it, and does not command it too. Each output says what it was told and what its
// control unit answered; codes come with how the vehicle stood when they were set.
func TestTwoJobsAtOneVehicle(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	m, err := electric.New(e.Circuit)
	require.NoError(t, err)
	open, err := fault.Parse(e.Circuit, "K1 coil open")
	require.NoError(t, err)
	v, err := sim.New(m, sim.Options{}, open)
	require.NoError(t, err)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	ctx, stop := context.WithCancel(context.Background())
	ended := make(chan error, 1)
	data := describe.For("f3-twin-series-parallel", e.Circuit)
	go func() { ended <- sim.NewServer(v, data).ServeCAN(ctx, l, false) }()
	t.Cleanup(func() { stop(); <-ended })
	w := webtest.OpenWith(t, web.Options{Hosts: webtest.Hosts, Circuits: webtest.Circuits, Workshop: demo.Workshop, Patience: time.Minute,
		Loopback: true})
	first := w.JobNamed("Gritter 6")
	h, err := w.Keep.HarnessNamed(t.Context(), "f3-twin-series-parallel")
	require.NoError(t, err)
	vehicle, err := w.Keep.PutVehicle(t.Context(), "Gritter 6", "")
	require.NoError(t, err)
	id, err := w.Keep.OpenJob(t.Context(), store.NewJob{Vehicle: vehicle, Harness: h.ID, Title: "again", Who: "Oda", At: time.Now()})
	require.NoError(t, err)
	onBus := *data
	onBus.Address = 0x7E0
	text, err := describe.Write(&onBus)
	require.NoError(t, err)
	second := fmt.Sprintf("/jobs/%d", id)
	for _, job := range []string{first, second} {
		r := w.Post(job+"/scan/connect", "address", "socketcand://"+l.Addr().String()+"/can0", "data", string(text))
		require.Equal(t, http.StatusSeeOther, r.Code, r.Body.String())
		t.Cleanup(func() { w.Post(job + "/scan/leave") })
	}
	require.Equal(t, http.StatusSeeOther, w.Post(first+"/scan/command", "state", "low", "hold", "120").Code)
	live := w.Get(first + "/scan/live").Body.String()
	webtest.Says(t, live, "obeyed, and says 01")
	webtest.Says(t, w.Get(first).Body.String(), "Commanded: <b>low</b>")
	assert.Regexp(t, `Commanded: <b>low</b>, \d+ s left`, w.Get(first+"/scan/held").Body.String())
	webtest.Silent(t, w.Get(second+"/scan/held").Body.String(), "Commanded")
	webtest.Says(t, live, "<td>on</td>")
	webtest.Says(t, w.Get(second+"/scan").Body.String(), "commands this vehicle from job")
	both := w.Post(second+"/scan/command", "state", "high")
	require.Equal(t, http.StatusUnprocessableEntity, both.Code)
	webtest.Says(t, both.Body.String(), "two pages do not command one vehicle")
	soak.Await(t, "the code of the open coil", func() bool {
		w.Post(first + "/scan/codes")
		return strings.Contains(w.Get(first+"/scan").Body.String(), "when it was set: ")
	})
	webtest.Says(t, w.Get(first+"/scan").Body.String(), "the maker's record 1: 00")
	webtest.Says(t, w.Get(first).Body.String(), "kept beside P0480: coolant")
	require.Equal(t, http.StatusSeeOther, w.Post(first+"/scan/command", "return", "1").Code)
	webtest.Says(t, w.Get(first+"/scan/live").Body.String(), "to be its own again")
	assert.False(t, v.Stands().Tester)
	require.Equal(t, http.StatusSeeOther, w.Post(second+"/scan/command", "state", "high").Code)
}

// A truck is listened to: its values, its fan drive and its codes stand on the page and go into the log; nothing can be commanded there.
func TestATruckOnThePage(t *testing.T) {
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	m, err := electric.New(e.Circuit)
	require.NoError(t, err)
	v, err := sim.New(m, sim.Options{})
	require.NoError(t, err)
	require.NoError(t, v.Drive("coolant 81"))
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	ctx, stop := context.WithCancel(context.Background())
	ended := make(chan error, 1)
	go func() {
		ended <- sim.NewServer(v, describe.For("f3-twin-series-parallel", e.Circuit)).ServeCAN(ctx, l, true)
	}()
	t.Cleanup(func() { stop(); <-ended })
	w := webtest.OpenWith(t, web.Options{Hosts: webtest.Hosts, Circuits: webtest.Circuits, Workshop: demo.Workshop, Patience: time.Minute,
		Loopback: true})
	job := w.JobNamed("Gritter 6")
	assert.Equal(t, http.StatusUnprocessableEntity, w.Post(job+"/scan/truck").Code, "nothing is listened to yet")
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/scan/connect", "address", "socketcand://"+l.Addr().String()+"/can0").Code)
	t.Cleanup(func() { w.Post(job + "/scan/leave") })
	webtest.Says(t, w.Get(job+"/scan").Body.String(), "Nothing is ever sent there")
	soak.Await(t, "what it sends", func() bool {
		live := w.Get(job + "/scan/live").Body.String()
		return strings.Contains(live, "81 °C") && strings.Contains(live, "Fan drive") && strings.Contains(live, "None is sent")
	})
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/scan/truck").Code)
	webtest.Says(t, w.Get(job).Body.String(), "sent by the vehicle: coolant 81 °C")
	webtest.Says(t, w.Post(job+"/scan/command", "state", "low").Body.String(), "No vehicle is connected")
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/scan/leave").Code)
	webtest.Says(t, w.Get(job+"/scan").Body.String(), "Who is there?")
}

// Who is there is asked of a network of one's own alone; who answers can be connected, and nobody is no error.
func TestWhoIsThere(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	m, err := electric.New(e.Circuit)
	require.NoError(t, err)
	v, err := sim.New(m, sim.Options{})
	require.NoError(t, err)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	p, err := net.ListenPacket("udp", l.Addr().String())
	require.NoError(t, err)
	ctx, stop := context.WithCancel(context.Background())
	ended := make(chan error, 1)
	go func() { ended <- sim.NewServer(v, describe.For("f3-twin-series-parallel", e.Circuit)).Serve(ctx, l, p) }()
	t.Cleanup(func() { stop(); <-ended })
	w := webtest.OpenWith(t, web.Options{Hosts: webtest.Hosts, Circuits: webtest.Circuits, Workshop: demo.Workshop, Patience: time.Minute,
		Loopback: true})
	job := w.JobNamed("Gritter 6")
	for bad, want := range map[string]string{"8.8.8.8:13400": "no address of a network of one", "can:can0": "on a CAN bus connecting asks"} {
		r := w.Post(job+"/scan/find", "network", bad)
		assert.Equal(t, http.StatusUnprocessableEntity, r.Code)
		webtest.Says(t, r.Body.String(), want)
	}
	found := w.Post(job+"/scan/find", "network", l.Addr().String())
	require.Equal(t, http.StatusOK, found.Code)
	webtest.Says(t, found.Body.String(), "Connect SKERR0WC0VNTYW0RK")
	webtest.Says(t, w.Post(job+"/scan/find", "network", "127.0.0.1:9").Body.String(), "says who they are")
}

// A log from another tool: the thresholds found answer the warm-up's checks, and its columns are remembered.
func TestALogOfAWarmUp(t *testing.T) {
	w := webtest.Open(t)
	job := w.JobNamed("Gritter 6")
	webtest.Says(t, w.Get(job+"/log").Body.String(), "A log of live data")
	var b strings.Builder
	b.WriteString("t;Engine temp;cooling low\n")
	coolant, on := 80.0, 0
	for i := range 2000 {
		coolant += map[int]float64{0: 0.1, 1: -0.1}[on]
		if coolant >= 95 {
			on = 1
		} else if coolant < 90 {
			on = 0
		}
		b.WriteString(strings.ReplaceAll(fmt.Sprintf("%d;%.2f;%d\n", i, coolant, on), ".", ","))
	}
	r := w.Send(job+"/log", "log", "live.csv", []byte(b.String()), "column-time", "t")
	require.Equal(t, http.StatusOK, r.Code)
	page := r.Body.String()
	webtest.Says(t, page, "low came on at 95 °C")
	webtest.Says(t, page, "low went off at 90 °C")
	assert.Equal(t, [][2]string{{"up 95", "95 °C"}, {"up 103", "not provoked"}, {"down 97", "not provoked"}, {"down 89", "90 °C"}},
		answersIn(page), "a stage answers its own check and no other")
	require.NotEmpty(t, r.Result().Cookies())
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/log/enter", "finding", "low came on at 95 °C", "check-warm-up up 95", "95 °C",
		"check-warm-up up 103", "not provoked").Code)
	webtest.Says(t, w.Get(job+"/verify").Body.String(), "<b>95 °C</b>")
	webtest.Says(t, w.Get(job).Body.String(), "log: low came on at 95 °C")
	webtest.Says(t, w.Send(job+"/log", "log", "live.csv", []byte("x\n")).Body.String(), "Say which column is the coolant")
	webtest.Says(t, w.Post(job+"/log/enter").Body.String(), "nothing that could be entered")
}

var answerField = regexp.MustCompile(`name="check-warm-up ([^"]+)" value="([^"]*)"`)

// answersIn lists the warm-up's checks on a page, each with the answer that the log gives.
func answersIn(page string) (list [][2]string) {
	for _, m := range answerField.FindAllStringSubmatch(strings.Join(strings.Fields(page), " "), -1) {
		list = append(list, [2]string{m[1], m[2]})
	}
	return list
}

// A resistor in the sensor's place: what value, in which order the box is set, and what a threshold in ohms says.
func TestAStandInForTheSensor(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	h, err := w.Keep.HarnessNamed(t.Context(), "m2-three-relay-two-winding")
	require.NoError(t, err)
	vehicle, err := w.Keep.PutVehicle(t.Context(), "Rig", "")
	require.NoError(t, err)
	id, err := w.Keep.OpenJob(t.Context(), store.NewJob{Vehicle: vehicle, Harness: h.ID, Title: "hot", Who: "Oda", At: time.Now()})
	require.NoError(t, err)
	job := fmt.Sprintf("/jobs/%d", id)
	page := w.Get(job + "/standin?celsius=212+F").Body.String()
	webtest.Says(t, page, "Setting the decade box")
	webtest.Says(t, page, "As sold")
	webtest.Says(t, page, "blinds gauge and controller")
	webtest.Says(t, w.Get(job+"/standin?celsius=warm").Body.String(), "is no temperature")
	webtest.Says(t, w.Get(job+"/standin?celsius=98&from=lots").Body.String(), "are no ohms")
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/standin", "in-high", "199", "out-high", "205").Code)
	webtest.Says(t, w.Get(job).Body.String(), "high cut in at 199 Ω in place of CT, which its curve calls")
	webtest.Says(t, w.Post(job+"/standin").Body.String(), "Say at how many ohms")
	webtest.Says(t, w.Get(w.JobNamed("Gritter 6")+"/standin").Body.String(), "drawn without a temperature sensor")
}

// A meter on the network fills the field of a reading.
func TestAMeterFillsTheField(t *testing.T) {
	v, _ := simulated(t, "f1-one-relay", "F1 open")
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	ctx, stop := context.WithCancel(context.Background())
	ended := make(chan error, 1)
	go func() { ended <- sim.NewMeter(v).Serve(ctx, l) }()
	t.Cleanup(func() { stop(); <-ended })
	w, job := webtest.Bare(t)
	webtest.Says(t, w.Get(job+"/meter?do=volts&at=BAT.%2B").Body.String(), "No meter is connected")
	webtest.Says(t, w.Post(job+"/scan/meter", "meter", "example.com:5025").Body.String(), "no address of a network of one")
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/scan/meter", "meter", l.Addr().String()).Code)
	webtest.Says(t, w.Get(job+"/scan").Body.String(), "simulated meter")
	webtest.Says(t, w.Get(job+"?pin=BAT.%2B&state=off").Body.String(), ">meter</button>")
	webtest.Says(t, w.Get(job+"/meter?do=volts&at=BAT.%2B&field=reading-1&unit=volts").Body.String(), `value="12.5`)
	webtest.Says(t, w.Get(job+"/meter?do=volts&at=F99.b").Body.String(), "there is no part F99")
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/scan/meter", "leave", "1").Code)
	webtest.Silent(t, w.Get(job+"?pin=BAT.%2B&state=off").Body.String(), ">meter</button>")
}
