package platform

import "slices"

// Feature is something that an app may ask of a device.
type Feature struct {
	ID, Name string
	Key      string // in the compatibility data
	Asks     string // what a script writes, for messages
	Tap      bool   // only while somebody taps or clicks
	App      bool   // on iPhones only for a page that was put on the home screen
}

// Features are those that scripts are read for. All of them want a secure address.
var Features = []Feature{
	{"position", "the position", "api.Navigator.geolocation", "navigator.geolocation", false, false},
	{"camera", "camera or microphone", "api.MediaDevices.getUserMedia", "getUserMedia", false, false},
	{"screen", "a picture of the screen", "api.MediaDevices.getDisplayMedia", "getDisplayMedia", true, false},
	{"notifications", "notifications", "api.Notification", "Notification", true, true},
	{"push", "push messages", "api.PushManager", "pushManager", true, true},
	{"sync", "sending later, by the browser", "api.SyncManager", "sync.register", false, false},
	{"periodic-sync", "looking for news while it is closed", "api.PeriodicSyncManager", "periodicSync", false, false},
	{"background-fetch", "downloads that outlast the page", "api.BackgroundFetchManager", "backgroundFetch", false, false},
	{"badge", "a number on the icon", "api.Navigator.setAppBadge", "setAppBadge", false, true},
	{"share", "sharing to other apps", "api.Navigator.share", "navigator.share", true, false},
	{"wake-lock", "a screen that stays on", "api.WakeLock", "navigator.wakeLock", false, false},
	{"payment", "payment by the browser", "api.PaymentRequest", "PaymentRequest", true, false},
	{"files", "opening and saving files", "api.Window.showOpenFilePicker", "showOpenFilePicker", true, false},
	{"launch", "being told what the app was opened with", "api.LaunchQueue", "launchQueue", false, false},
	{"bluetooth", "Bluetooth", "api.Bluetooth", "navigator.bluetooth", true, false},
	{"usb", "USB", "api.USB", "navigator.usb", true, false},
	{"serial", "serial ports", "api.Serial", "navigator.serial", true, false},
	{"hid", "other input devices", "api.HID", "navigator.hid", true, false},
	{"nfc", "NFC tags", "api.NDEFReader", "NDEFReader", true, false},
	{"orientation", "how the device is held", "api.DeviceOrientationEvent", "DeviceOrientationEvent", true, false},
	{"vibration", "vibration", "api.Navigator.vibrate", "navigator.vibrate", true, false},
	{"contacts", "the address book", "api.ContactsManager", "navigator.contacts", true, false},
	{"passkeys", "passwords and passkeys", "api.CredentialsContainer", "navigator.credentials", false, false},
	{"speech", "recognising speech", "api.SpeechRecognition", "SpeechRecognition", true, false},
	{"idle", "whether somebody is there", "api.IdleDetector", "IdleDetector", true, false},
	{"midi", "MIDI devices", "api.Navigator.requestMIDIAccess", "requestMIDIAccess", false, false},
	{"picture-in-picture", "a small window above others", "api.DocumentPictureInPicture", "documentPictureInPicture", true, false},
	{"related-apps", "whether the app is installed", "api.Navigator.getInstalledRelatedApps", "getInstalledRelatedApps", false, false},
}

// FeatureOf gives a feature by its id.
func FeatureOf(id string) (Feature, bool) {
	i := slices.IndexFunc(Features, func(f Feature) bool { return f.ID == id })
	if i < 0 {
		return Feature{}, false
	}
	return Features[i], true
}

// Has gives the version of the platform's browser that has a feature first, "" when none has.
func (p Platform) Has(feature string) string { return compat.Features[feature][p.browser] }
