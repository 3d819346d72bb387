package markup

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// TestFeatures finds what scripts ask of a device, and nothing that only has a like name.
func TestFeatures(t *testing.T) {
	for src, want := range map[string]map[string]int{
		`navigator.geolocation.getCurrentPosition(f)`:                                  {"position": 10},
		`const g = window.navigator.geolocation`:                                       {"position": 27},
		`navigator.mediaDevices.getUserMedia({video: true})`:                           {"camera": 23},
		`Notification.requestPermission()`:                                             {"notifications": 0},
		`self.registration.showNotification("x")`:                                      {"notifications": 18},
		`r.pushManager.subscribe(); r.pushManager.getSubscription()`:                   {"push": 2},
		`registration.sync.register("send")`:                                           {"sync": 18},
		`navigator.serviceWorker.register("/sw.js"); customElements.register("a")`:     nil,
		`navigator.share({title}); cart.share(); map.usb; options.serial`:              {"share": 10},
		`if (navigator.usb && navigator.bluetooth) {}`:                                 {"usb": 14, "bluetooth": 31},
		`new PaymentRequest(a, b)`:                                                     {"payment": 4},
		`showOpenFilePicker().then(f)`:                                                 {"files": 0},
		`const text = "navigator.geolocation"; // Notification`:                        nil,
		`let Notification = class {}; { const share = 1 }`:                             {"notifications": 4},
		`navigator.credentials.get({publicKey}); user.credentials.name; bus.vibrate()`: {"passkeys": 10},
	} {
		got := ReadScript([]byte(src), 0).Features
		if want == nil {
			assert.Empty(t, got, src)
		} else {
			assert.Equal(t, want, got, src)
		}
	}
	once := ReadScript([]byte("navigator.geolocation"), 0)
	assert.Equal(t, 110, once.At(100).Features["position"])
	assert.Equal(t, 10, once.Features["position"], "the facts of one place are not those of another")
}
