package outgoing

import "encoding/json"

// StampText is what a file says of where it comes from, as text in a comment.
func StampText(stamp any) string {
	data, err := json.Marshal(stamp)
	if err != nil {
		return "" // texts and numbers can be written
	}
	return string(data)
}
