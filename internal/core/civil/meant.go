package civil

import "strings"

// shortZones are places whose time goes by an abbreviation. Of an abbreviation that
// stands for several, all are told.
var shortZones = map[string][]string{
	"PST": {"America/Los_Angeles"}, "PDT": {"America/Los_Angeles"}, "PT": {"America/Los_Angeles"}, "MDT": {"America/Denver"}, "MT": {"America/Denver"}, "CST": {"America/Chicago", "Asia/Shanghai"}, "CDT": {"America/Chicago"}, "CT": {"America/Chicago"},
	"EDT": {"America/New_York"}, "ET": {"America/New_York"}, "AST": {"America/Halifax"}, "ADT": {"America/Halifax"}, "NST": {"America/St_Johns"}, "NDT": {"America/St_Johns"}, "AKST": {"America/Anchorage"}, "AKDT": {"America/Anchorage"}, "BRT": {"America/Sao_Paulo"}, "ART": {"America/Argentina/Buenos_Aires"},
	"BST": {"Europe/London"}, "IST": {"Asia/Kolkata", "Europe/Dublin", "Asia/Jerusalem"}, "WEST": {"Europe/Lisbon"}, "CEST": {"Europe/Berlin", "Europe/Paris"}, "EEST": {"Europe/Helsinki", "Europe/Athens"}, "MSK": {"Europe/Moscow"},
	"SAST": {"Africa/Johannesburg"}, "CAT": {"Africa/Maputo"}, "EAT": {"Africa/Nairobi"}, "WAT": {"Africa/Lagos"}, "GST": {"Asia/Dubai"}, "PKT": {"Asia/Karachi"}, "ICT": {"Asia/Bangkok"}, "WIB": {"Asia/Jakarta"}, "SGT": {"Asia/Singapore"}, "HKT": {"Asia/Hong_Kong"}, "PHT": {"Asia/Manila"}, "JST": {"Asia/Tokyo"}, "KST": {"Asia/Seoul"},
	"AWST": {"Australia/Perth"}, "ACST": {"Australia/Adelaide"}, "ACDT": {"Australia/Adelaide"}, "AEST": {"Australia/Sydney", "Australia/Brisbane"}, "AEDT": {"Australia/Sydney"}, "NZST": {"Pacific/Auckland"}, "NZDT": {"Pacific/Auckland"},
}

// fixedZones are IANA names that look like the time of a place but know no summer time,
// with the place that is mostly meant.
var fixedZones = map[string]string{"EST": "America/New_York", "MST": "America/Denver"}

// SummerZone is the place that is mostly meant by an IANA name of a fixed offset that
// reads like its time, EST for one; "" for every other name.
func SummerZone(name string) string { return fixedZones[name] }

// ZonesMeant are the zones that a text may mean which is no IANA name: those of an
// abbreviation (PST) or of a city (Helsinki, los angeles). None for any other text.
func ZonesMeant(text string) []string {
	text = strings.TrimSpace(text)
	if zones := shortZones[strings.ToUpper(text)]; zones != nil {
		return zones
	}
	city := "/" + strings.ReplaceAll(text, " ", "_")
	for _, name := range ZoneNames() {
		if strings.EqualFold(name, text) || len(name) > len(city) && strings.EqualFold(name[len(name)-len(city):], city) {
			return []string{name}
		}
	}
	return nil
}
