package markup

// globalFeatures are globals by which scripts ask something of a device.
var globalFeatures = map[string]string{"Notification": "notifications", "PaymentRequest": "payment", "NDEFReader": "nfc", "SpeechRecognition": "speech", "webkitSpeechRecognition": "speech", "IdleDetector": "idle",
	"DeviceOrientationEvent": "orientation", "showOpenFilePicker": "files", "showSaveFilePicker": "files", "showDirectoryPicker": "files", "launchQueue": "launch", "documentPictureInPicture": "picture-in-picture"}

// memberFeatures are members of that kind, whatever they are members of.
var memberFeatures = map[string]string{"getUserMedia": "camera", "getDisplayMedia": "screen", "pushManager": "push", "showNotification": "notifications", "periodicSync": "periodic-sync", "backgroundFetch": "background-fetch",
	"setAppBadge": "badge", "showOpenFilePicker": "files", "showSaveFilePicker": "files", "showDirectoryPicker": "files", "launchQueue": "launch", "requestMIDIAccess": "midi", "getInstalledRelatedApps": "related-apps",
	"geolocation": "position", "wakeLock": "wake-lock", "documentPictureInPicture": "picture-in-picture"}

// ofFeatures are members whose names are too common to say anything by themselves.
var ofFeatures = map[string]struct{ of, id string }{"share": {"navigator", "share"}, "vibrate": {"navigator", "vibration"}, "bluetooth": {"navigator", "bluetooth"}, "usb": {"navigator", "usb"}, "serial": {"navigator", "serial"},
	"hid": {"navigator", "hid"}, "contacts": {"navigator", "contacts"}, "credentials": {"navigator", "passkeys"}, "register": {"sync", "sync"}}

// featureHints are the words by which scripts ask something of a device.
func featureHints() (out []hint) {
	for _, words := range []map[string]string{globalFeatures, memberFeatures} {
		for word := range words {
			out = append(out, hint{[]byte(word), "", true})
		}
	}
	for word, on := range ofFeatures {
		out = append(out, hint{[]byte(on.of + "." + word), "", true})
	}
	return out
}

// feature notes the first place where something is asked of a device.
func (r *scriptReader) feature(id string, at []byte) {
	if id == "" {
		return
	}
	if r.facts.Features == nil {
		r.facts.Features = map[string]int{}
	}
	offset := r.at(at)
	if first, known := r.facts.Features[id]; !known || offset < first {
		r.facts.Features[id] = offset
	}
}
