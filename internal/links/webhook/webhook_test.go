package webhook

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/internal/alarm"
	"ricetta/internal/line"
	"ricetta/internal/links/testhall"
	"ricetta/internal/store"
)

const secret = "a secret of the hall"

// receiver is the other side; it answers what the test says.
type receiver struct {
	*httptest.Server
	mu     sync.Mutex
	answer int
	got    []envelope
	keys   []string
	odd    []string
}

func newReceiver(t *testing.T) *receiver {
	r := &receiver{answer: http.StatusNoContent}
	r.Server = httptest.NewServer(r)
	t.Cleanup(r.Close)
	return r
}

// ServeHTTP checks the signature as RFC 9421 says, on its own.
func (r *receiver) ServeHTTP(w http.ResponseWriter, q *http.Request) {
	body, _ := io.ReadAll(q.Body)
	r.mu.Lock()
	defer r.mu.Unlock()
	sum := sha256.Sum256(body)
	if want := "sha-256=:" + base64.StdEncoding.EncodeToString(sum[:]) + ":"; q.Header.Get("Content-Digest") != want {
		r.odd = append(r.odd, "digest")
	}
	params := strings.TrimPrefix(q.Header.Get("Signature-Input"), "ricetta=")
	base := `"@method": ` + q.Method + "\n" + `"@target-uri": ` + r.URL + q.URL.RequestURI() + "\n" + `"content-digest": ` + q.Header.Get("Content-Digest") + "\n" +
		`"content-type": ` + q.Header.Get("Content-Type") + "\n" + `"@signature-params": ` + params
	mac := hmac.New(sha256.New, []byte(secret))
	mac.Write([]byte(base))
	if q.Header.Get("Signature") != "ricetta=:"+base64.StdEncoding.EncodeToString(mac.Sum(nil))+":" {
		r.odd = append(r.odd, "signature "+q.Header.Get("Signature"))
	}
	if r.answer/100 == 2 {
		var e envelope
		if json.Unmarshal(body, &e) != nil {
			r.odd = append(r.odd, "body")
		}
		r.got = append(r.got, e)
		r.keys = append(r.keys, q.Header.Get("Idempotency-Key"))
	}
	w.WriteHeader(r.answer)
}

func (r *receiver) says(status int) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.answer = status
}

func (r *receiver) count() int {
	r.mu.Lock()
	defer r.mu.Unlock()
	return len(r.got)
}

func records(t *testing.T, dir string) *store.Store {
	s, err := store.Open(store.Options{Dir: dir})
	require.NoError(t, err)
	t.Cleanup(s.Close)
	return s
}

func secretFile(t *testing.T) string {
	path := filepath.Join(t.TempDir(), "secret")
	require.NoError(t, os.WriteFile(path, []byte(secret+"\n"), 0o600))
	return path
}

func TestDeliveriesAreSignedAndTriedAgain(t *testing.T) {
	r := newReceiver(t)
	dir := t.TempDir()
	st := records(t, dir)
	h := testhall.New()
	c := Config{Name: "mes", URL: r.URL + "/in?plant=1", Events: []string{EventReject, EventAlarm, EventRun, EventChallenge, EventReport}, SecretFile: secretFile(t)}
	s, err := Open(c, "Cartoleria", h.States(), st, time.Now)
	require.NoError(t, err)

	s.Line(h.State()) // as it was
	s.Package(&line.Package{Line: "line1", Seq: 1, Route: "pass"})
	s.Package(&line.Package{Line: "line1", Seq: 2, Route: "reject", Reason: "tips"})
	s.Alarm(alarm.Alarm{ID: 5, Line: "line1", Kind: alarm.Late, Text: "late"})
	state := h.State()
	state.Run.ID, state.Run.Product = 4, "glue-stick-20"
	state.Challenge = &line.Challenge{ID: 1, Result: line.GoesOn}
	s.Line(state)
	state.Challenge = &line.Challenge{ID: 1, Result: line.Failed}
	s.Line(state)
	s.Line(state)
	s.Report(time.Now(), map[string]any{"of": "shift"})
	require.Eventually(t, func() bool { return r.count() == 5 }, 10*time.Second, time.Millisecond)
	r.mu.Lock()
	assert.Empty(t, r.odd)
	var heard []string
	for _, e := range r.got {
		heard = append(heard, e.Event)
	}
	assert.Equal(t, []string{"reject", "alarm", "run", "challenge", "report"}, heard)
	assert.EqualValues(t, 2, r.got[0].Data.(map[string]any)["seq"])
	assert.Equal(t, "Cartoleria", r.got[0].Site)
	assert.Equal(t, `"mes-1"`, r.keys[0])
	r.mu.Unlock()
	require.Eventually(t, func() bool { return s.State().Trouble == "" }, time.Second, time.Millisecond, "all are crossed out")

	// A receiver that is out of order is tried again, over a restart too.
	r.says(http.StatusServiceUnavailable)
	s.Package(&line.Package{Line: "line1", Seq: 3, Route: "reject"})
	require.Eventually(t, func() bool { return strings.Contains(s.State().Trouble, "503 Service Unavailable; 1 deliveries wait") }, 10*time.Second, time.Millisecond, s.State().Trouble)
	s.Close()
	st.Close()
	r.says(http.StatusOK)
	st = records(t, dir)
	s, err = Open(c, "Cartoleria", h.States(), st, time.Now)
	require.NoError(t, err)
	defer s.Close()
	require.Eventually(t, func() bool { return r.count() == 6 }, 10*time.Second, time.Millisecond)
	require.Eventually(t, func() bool { return s.State().Trouble == "" }, time.Second, time.Millisecond)

	// One that will never be taken is given up at once, and may be given a new life.
	r.says(http.StatusUnprocessableEntity)
	s.Package(&line.Package{Line: "line1", Seq: 4, Route: "reject"})
	require.Eventually(t, func() bool { return strings.Contains(s.State().Trouble, "0 deliveries wait, 1 were given up") }, 10*time.Second, time.Millisecond)
	dead, err := st.DeadDeliveries(10)
	require.NoError(t, err)
	require.Len(t, dead, 1)
	assert.Equal(t, "it answers 422 Unprocessable Entity", dead[0].Error)
	r.says(http.StatusOK)
	dead[0].Again(time.Now())
	require.NoError(t, st.KeepDelivery(dead[0]))
	s.Poke()
	require.Eventually(t, func() bool { return r.count() == 7 }, 10*time.Second, time.Millisecond)
	r.mu.Lock()
	assert.Empty(t, r.odd)
	r.mu.Unlock()
}

// The example of RFC 9421 is over other fields; what is compared here is the base that we sign.
func TestTheSignatureBase(t *testing.T) {
	r := httptest.NewRequest(http.MethodPost, "https://example.org/in?x=1", nil)
	r.Header.Set("Content-Type", "application/json")
	sign(r, []byte(`{"hello": "world"}`), []byte("0123456789abcdef"), "mes", time.Unix(1618884473, 0))
	// The digest is the one of RFC 9530, appendix D, for this body.
	assert.Equal(t, "sha-256=:X48E9qOokqqrvdts8nOJRJN3OWDUoyWxBf7kbu9DBPE=:", r.Header.Get("Content-Digest"))
	assert.Equal(t, `ricetta=("@method" "@target-uri" "content-digest" "content-type");created=1618884473;keyid="mes";alg="hmac-sha256"`, r.Header.Get("Signature-Input"))
	assert.Equal(t, `"@method": POST
"@target-uri": https://example.org/in?x=1
"content-digest": sha-256=:X48E9qOokqqrvdts8nOJRJN3OWDUoyWxBf7kbu9DBPE=:
"content-type": application/json
"@signature-params": p`, signatureBase(r, "p"))
}

func TestReceiversThatCannotBeMeantAreRefused(t *testing.T) {
	short := filepath.Join(t.TempDir(), "short")
	require.NoError(t, os.WriteFile(short, []byte("short"), 0o600))
	for say, c := range map[string]Config{
		"has no name":               {URL: "http://x", Events: []string{EventRun}},
		`url is "x"`:                {Name: "a", URL: "x", Events: []string{EventRun}},
		"wants to hear nothing":     {Name: "a", URL: "http://x"},
		`there is no event "items"`: {Name: "a", URL: "http://x", Events: []string{"items"}},
		"secret_file: open":         {Name: "a", URL: "http://x", Events: []string{EventRun}, SecretFile: "/nowhere"},
		"give 16 or more":           {Name: "a", URL: "http://x", Events: []string{EventRun}, SecretFile: short},
	} {
		_, err := Open(c, "", nil, nil, time.Now)
		assert.ErrorContains(t, err, say)
	}
}
