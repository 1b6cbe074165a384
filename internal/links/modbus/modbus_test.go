package modbus

import (
	"errors"
	"fmt"
	"math"
	"net"
	"os/exec"
	"strings"
	"testing"
	"time"

	"github.com/simonvetter/modbus"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ricetta/internal/alarm"
	"ricetta/internal/line"
	"ricetta/internal/links"
	"ricetta/internal/links/testhall"
)

func open(t *testing.T, c Config) (*Server, *testhall.Hall, *links.Tags) {
	h := testhall.New()
	tags := h.Tags(t)
	c.Listen = testhall.FreeAddress(t)
	s, err := Open(c, h, tags, time.Now)
	require.NoError(t, err)
	t.Cleanup(s.Close)
	return s, h, tags
}

func dial(t *testing.T, s *Server, order modbus.WordOrder) *modbus.ModbusClient {
	c, err := modbus.NewClient(&modbus.ClientConfiguration{URL: "tcp://" + s.cfg.Listen, Timeout: 5 * time.Second})
	require.NoError(t, err)
	require.NoError(t, c.Open())
	t.Cleanup(func() { _ = c.Close() })
	require.NoError(t, c.SetEncoding(modbus.BIG_ENDIAN, order))
	return c
}

func TestAControllerReadsTheLine(t *testing.T) {
	for word, order := range map[string]modbus.WordOrder{"": modbus.HIGH_WORD_FIRST, HighFirst: modbus.HIGH_WORD_FIRST, LowFirst: modbus.LOW_WORD_FIRST} {
		s, h, tags := open(t, Config{WordOrder: word})
		s.Alarm(alarm.Alarm{ID: 1, Line: "line1"})
		s.Alarm(alarm.Alarm{ID: 2})
		s.Alarm(alarm.Alarm{ID: 3, Line: "line9"})
		s.Package(&line.Package{Line: "line1", Seq: 70_000, Route: "reject", Fault: "late"})
		c := dial(t, s, order)
		read := func(at uint16) uint16 {
			v, err := c.ReadRegister(at, modbus.INPUT_REGISTER)
			require.NoError(t, err)
			return v
		}
		read32 := func(at uint16) uint32 {
			v, err := c.ReadUint32(at, modbus.INPUT_REGISTER)
			require.NoError(t, err)
			return v
		}
		assert.EqualValues(t, 2, read(irStatus))
		assert.EqualValues(t, 1<<flagHeld|1<<flagAlarm|1<<flagRejected|1<<flagFault, read(irFlags))
		assert.EqualValues(t, 3, read32(irRun))
		assert.EqualValues(t, 12, read32(irPackages))
		assert.EqualValues(t, 10, read32(irPassed))
		assert.EqualValues(t, 2, read32(irRejected))
		assert.EqualValues(t, 2, read(irAlarms))
		assert.EqualValues(t, 1, read(irResult))
		assert.EqualValues(t, 70_000, read32(irSeq))
		assert.EqualValues(t, 3, read(irRoute))
		product, err := c.ReadBytes(irProduct, 32, modbus.INPUT_REGISTER)
		require.NoError(t, err)
		assert.Equal(t, "pencil-tin-12", strings.TrimRight(string(product), "\x00"))
		bits, err := c.ReadDiscreteInputs(0, flagEnd)
		require.NoError(t, err)
		assert.Equal(t, []bool{false, true, true, false, false, false, true, true}, bits)

		// Tags: what is not there is not a number, and has no bit.
		f, err := c.ReadFloat32(1002, modbus.INPUT_REGISTER)
		require.NoError(t, err)
		assert.True(t, math.IsNaN(float64(f)))
		tags.Item(testhall.Item(9, 11.5))
		tags.Line(h.State())
		f, err = c.ReadFloat32(1002, modbus.INPUT_REGISTER)
		require.NoError(t, err)
		assert.EqualValues(t, 11.5, f)
		assert.EqualValues(t, 2, read32(1000), "int32")
		half, err := c.ReadRegisters(1001, 2, modbus.INPUT_REGISTER)
		require.NoError(t, err)
		whole, err := c.ReadRegisters(1000, 4, modbus.INPUT_REGISTER)
		require.NoError(t, err)
		assert.Equal(t, whole[1:3], half, "a read that cuts two tags")
		valid, err := c.ReadDiscreteInputs(1000, 12)
		require.NoError(t, err)
		assert.Equal(t, []bool{true, true, true, true, true, true, false, false, false, false, false, false}, valid)

		for _, at := range []uint16{irEnd, 500} {
			_, err = c.ReadRegister(at, modbus.INPUT_REGISTER)
			assert.ErrorIs(t, err, modbus.ErrIllegalDataAddress)
		}
		require.NoError(t, c.SetUnitId(2))
		_, err = c.ReadRegister(0, modbus.INPUT_REGISTER)
		assert.ErrorIs(t, err, modbus.ErrGWTargetFailedToRespond, "there is one line")
		s.Close()
	}
}

// answered waits until a request is answered.
func answered(t *testing.T, c *modbus.ModbusClient, request uint16) (state uint16, says string) {
	t.Helper()
	require.Eventually(t, func() bool {
		v, err := c.ReadRegisters(irAnswer, 2, modbus.INPUT_REGISTER)
		require.NoError(t, err)
		state = v[0]
		return v[1] == request && state != working
	}, 5*time.Second, time.Millisecond)
	b, err := c.ReadBytes(irAnswerSay, 64, modbus.INPUT_REGISTER)
	require.NoError(t, err)
	return state, strings.TrimRight(string(b), "\x00")
}

func TestAControllerChangesOverByHandshake(t *testing.T) {
	s, h, _ := open(t, Config{Products: []string{"pencil-tin-12", "glue-stick-20"}})
	c := dial(t, s, modbus.HIGH_WORD_FIRST)
	write := func(at uint16, v ...uint16) { require.NoError(t, c.WriteRegisters(at, v)) }
	text := func(at uint16, s string, n int) {
		require.NoError(t, c.WriteBytes(at, append([]byte(s), make([]byte, 2*n-len(s))...)))
	}
	write(hrProduct, 2)
	text(hrLot, "L 4711", 16)
	text(hrExpiry, "2027-12-31", 5)
	require.NoError(t, c.WriteUint32(hrQuantity, 90_000))
	write(hrCommand, commandChange)
	assert.Empty(t, h.Asked(), "nothing happens before the request has a number")
	write(hrRequest, 17)
	state, says := answered(t, c, 17)
	assert.EqualValues(t, done, state)
	assert.Empty(t, says)
	write(hrRequest, 17)
	assert.Equal(t, []string{"change line1 glue-stick-20 map[expiry:2027-12-31 lot:L 4711 quantity:90000] by Modbus"}, h.Asked(), "the same number asks once")

	h.Fail(errors.New("station line1-top cannot judge ├ x: nothing is released for it, so the line goes on with what it packs"))
	write(hrProduct, 0)
	text(hrText, "x", 16)
	write(hrCommand, commandChange, 18)
	state, says = answered(t, c, 18)
	assert.EqualValues(t, refused, state)
	assert.Equal(t, "station line1-top cannot judge ├ x: nothing is released for it", says)
	write(hrProduct, 3)
	write(hrRequest, 19)
	_, says = answered(t, c, 19)
	assert.Equal(t, "there is no product 3; site.yaml names 2", says)
	write(hrCommand, 99, 20)
	_, says = answered(t, c, 20)
	assert.Contains(t, says, "there is no such command")

	h.Fail(nil)
	for n, want := range map[uint16]string{commandStart: "start line1 false", commandStartCleared: "start line1 true", commandStop: "stop line1", commandTrigger: "trigger line1"} {
		write(hrCommand, n, 30+n)
		state, _ = answered(t, c, 30+n)
		assert.EqualValues(t, done, state)
		asked := h.Asked()
		assert.Equal(t, want, asked[len(asked)-1])
	}
	require.NoError(t, c.WriteCoil(0, true))
	h.Fail(errors.New("a challenge is due"))
	assert.ErrorIs(t, c.WriteCoil(0, true), modbus.ErrServerDeviceFailure)
	assert.ErrorIs(t, c.WriteRegister(hrEnd, 1), modbus.ErrIllegalDataAddress)
	var log strings.Builder
	st := s.State()
	for _, m := range st.Messages {
		fmt.Fprintln(&log, m.Text)
	}
	assert.Contains(t, log.String(), "line1: request 18 refused: station line1-top cannot judge")
	assert.Equal(t, 1, st.Peers)
}

func TestTextsAreCutBetweenCharacters(t *testing.T) {
	w := words{regs: make([]uint16, 2)}
	w.text(0, 2, "ab├")
	assert.Equal(t, "ab", w.readText(0, 2))
	w.text(0, 2, "a├")
	assert.Equal(t, "a├", w.readText(0, 2))
}

func TestLimitsAreWrittenWithinBounds(t *testing.T) {
	s, h, _ := open(t, Config{WordOrder: LowFirst})
	c := dial(t, s, modbus.LOW_WORD_FIRST)
	v, err := c.ReadFloat32(1004, modbus.HOLDING_REGISTER)
	require.NoError(t, err)
	assert.EqualValues(t, 12, v)
	require.NoError(t, c.WriteFloat32(1004, 11))
	assert.Equal(t, []string{"limit line1-top tips.count.least 11"}, h.Asked())
	assert.ErrorIs(t, c.WriteFloat32(1004, 13), modbus.ErrIllegalDataValue)
	assert.ErrorIs(t, c.WriteFloat32(1004, float32(math.NaN())), modbus.ErrIllegalDataValue)
	assert.ErrorIs(t, c.WriteFloat32(1002, 11), modbus.ErrIllegalDataValue, "a reading")
	assert.ErrorIs(t, c.WriteRegister(1004, 11), modbus.ErrIllegalDataAddress, "half of one")
	assert.Len(t, h.Asked(), 1)
}

func TestTagsThatCannotStandWhereTheyAreAreRefused(t *testing.T) {
	h := testhall.New()
	for _, tc := range []struct {
		at  uint16
		say string
	}{{999, "give 1000 to 59999"}, {1001, "share register 1001"}} {
		tags, err := links.NewTags([]links.Tag{
			{Name: "a", Line: "line1", Counter: "reject", Modbus: &links.Register{At: 1000}},
			{Name: "b", Line: "line1", Counter: "pass", Modbus: &links.Register{At: tc.at}},
		}, []line.Config{{ID: "line1"}}, h)
		require.NoError(t, err)
		_, err = Open(Config{Listen: "127.0.0.1:0"}, h, tags, time.Now)
		assert.ErrorContains(t, err, tc.say)
	}
	_, err := Open(Config{Listen: "127.0.0.1:0", WordOrder: "middle"}, h, h.Tags(t), time.Now)
	assert.ErrorContains(t, err, "give high_first or low_first")
}

// peerScript is a controller by a library of another origin.
const peerScript = `
import sys, time
from pymodbus.client import ModbusTcpClient
from pymodbus.payload import BinaryPayloadDecoder, BinaryPayloadBuilder
from pymodbus.constants import Endian
c = ModbusTcpClient("127.0.0.1", port=int(sys.argv[1]))
assert c.connect()
r = c.read_input_registers(0, 60, slave=1)
d = BinaryPayloadDecoder.fromRegisters(r.registers[6:8], byteorder=Endian.Big, wordorder=Endian.Big)
print("status", r.registers[1], "packages", d.decode_32bit_uint())
print("product", b"".join(x.to_bytes(2, "big") for x in r.registers[30:46]).rstrip(b"\0").decode())
t = c.read_input_registers(1002, 2, slave=1)
print("tips", BinaryPayloadDecoder.fromRegisters(t.registers, byteorder=Endian.Big, wordorder=Endian.Big).decode_32bit_float())
print("coils", c.read_coils(0, 1, slave=1).bits[0], "inputs", c.read_discrete_inputs(0, 3, slave=1).bits[:3])
name = b"glue-stick-20".ljust(32, b"\0")
c.write_registers(10, [int.from_bytes(name[i:i+2], "big") for i in range(0, 32, 2)], slave=1)
c.write_registers(0, [1, 5], slave=1)
for _ in range(100):
    a = c.read_input_registers(70, 2, slave=1).registers
    if a[1] == 5 and a[0] > 1: break
    time.sleep(0.02)
print("answer", a[0])
b = BinaryPayloadBuilder(byteorder=Endian.Big, wordorder=Endian.Big)
b.add_32bit_float(10.5)
print("limit", c.write_registers(1004, b.to_registers(), slave=1).isError())
b = BinaryPayloadBuilder(byteorder=Endian.Big, wordorder=Endian.Big)
b.add_32bit_float(99)
print("out of bounds", c.write_registers(1004, b.to_registers(), slave=1).exception_code)
print("no such address", c.read_input_registers(200, 1, slave=1).exception_code)
c.close()
`

func TestAPeerOfAnotherOrigin(t *testing.T) {
	const python = "/usr/bin/python3"
	if err := exec.Command(python, "-c", "import pymodbus").Run(); err != nil {
		t.Skip("NOT COMPARED WITH ANOTHER MODBUS: python3-pymodbus is not installed")
	}
	s, h, tags := open(t, Config{})
	tags.Item(testhall.Item(9, 11.5))
	_, port, err := net.SplitHostPort(s.cfg.Listen)
	require.NoError(t, err)
	out, err := exec.Command(python, "-c", peerScript, port).CombinedOutput()
	require.NoError(t, err, string(out))
	assert.Equal(t, `status 2 packages 12
product pencil-tin-12
tips 11.5
coils False inputs [False, True, False]
answer 2
limit False
out of bounds 3
no such address 2
`, string(out))
	assert.Equal(t, []string{"change line1 glue-stick-20 map[] by Modbus", "limit line1-top tips.count.least 10.5"}, h.Asked())
}
