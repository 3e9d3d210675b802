package stages

import (
	_ "wisemarrow/stages/axes"      // its operations and findings
	_ "wisemarrow/stages/bind"      // its operations and findings
	_ "wisemarrow/stages/bindpose"  // its operations and findings
	_ "wisemarrow/stages/handoff"   // its operations and findings
	_ "wisemarrow/stages/intake"    // its operations and findings
	_ "wisemarrow/stages/motion"    // its operations and findings
	_ "wisemarrow/stages/placement" // its operations and findings
	_ "wisemarrow/stages/shapes"    // its operations and findings
	_ "wisemarrow/stages/weights"   // its operations and findings
)
