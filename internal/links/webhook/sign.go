package webhook

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"fmt"
	"net/http"
	"time"
)

// sign adds what proves who sent a request and that nobody changed it: the digest of the body
// (RFC 9530, sha-256) and a signature (RFC 9421, HTTP Message Signatures, clause 3.3.3,
// HMAC using SHA-256) over method, address, digest and type, with the time at which it was made.
func sign(r *http.Request, body, secret []byte, keyID string, now time.Time) {
	sum := sha256.Sum256(body)
	r.Header.Set("Content-Digest", "sha-256=:"+base64.StdEncoding.EncodeToString(sum[:])+":")
	if len(secret) == 0 {
		return
	}
	params := fmt.Sprintf(`("@method" "@target-uri" "content-digest" "content-type");created=%d;keyid=%q;alg="hmac-sha256"`, now.Unix(), keyID)
	mac := hmac.New(sha256.New, secret)
	mac.Write([]byte(signatureBase(r, params)))
	r.Header.Set("Signature-Input", "ricetta="+params)
	r.Header.Set("Signature", "ricetta=:"+base64.StdEncoding.EncodeToString(mac.Sum(nil))+":")
}

// signatureBase is what is signed (RFC 9421, clause 2.5).
func signatureBase(r *http.Request, params string) string {
	return fmt.Sprintf("\"@method\": %s\n\"@target-uri\": %s\n\"content-digest\": %s\n\"content-type\": %s\n\"@signature-params\": %s",
		r.Method, r.URL.String(), r.Header.Get("Content-Digest"), r.Header.Get("Content-Type"), params)
}
