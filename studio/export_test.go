package studio

// HoldChecks keeps meshes from being checked until release is called.
func (x *Studio) HoldChecks() (release func()) {
	for range cap(x.checking) {
		x.checking <- struct{}{}
	}
	return func() {
		for range cap(x.checking) {
			<-x.checking
		}
	}
}
