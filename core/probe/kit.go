package probe

// ScanTool is what a technician can ask the controller.
type ScanTool string

// Scan tools. The zero value commands.
const (
	CommandTool ScanTool = ""      // commands each state
	BasicTool   ScanTool = "basic" // reads codes and live data
	NoTool      ScanTool = "none"
)

// Kit is what the technician has at hand. The zero Kit has everything that is common.
type Kit struct {
	Scan     ScanTool
	NoMeter  bool
	NoLamp   bool
	NoClamp  bool
	NoDecade bool // no decade box or resistor for a sensor's place
	NoJumper bool // no fused lead
	Infrared bool // an infrared thermometer, which few have
}
