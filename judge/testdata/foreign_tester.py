"""Testers that share nothing with the project talk to its simulated vehicle: scapy's diagnostics over IP and unified diagnostic services,
and python-can's client of the CAN daemon with ISO 15765-2 written by hand. Each exchange that is not as the standards have it is printed."""
import socket, struct, sys, time

from scapy.contrib.automotive.doip import DoIP
from scapy.contrib.automotive.uds import UDS, UDS_DSC, UDS_RDBI, UDS_TP, UDS_IOCBI, UDS_RDTCI, UDS_CDTCI, UDS_NR
import can

host, port, bus = sys.argv[1], int(sys.argv[2]), int(sys.argv[3])
exchanges = failures = 0


def check(ok, what):
    global exchanges, failures
    exchanges += 1
    if not ok:
        failures += 1
        print("FAILED", what, flush=True)


def read(s):
    head = b""
    while len(head) < 8:
        head += s.recv(8 - len(head))
    body = b""
    while len(body) < struct.unpack(">I", head[4:])[0]:
        body += s.recv(struct.unpack(">I", head[4:])[0] - len(body))
    return DoIP(head + body)


udp = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
udp.settimeout(20)
for kind, extra in ((1, {}), (0x4001, {}), (0x4003, {})):
    udp.sendto(bytes(DoIP(payload_type=kind, protocol_version=0xFF, inverse_version=0x00, **extra)), (host, port))
    p = DoIP(udp.recv(2048))
    want = {1: 4, 0x4001: 0x4002, 0x4003: 0x4004}[kind]
    check(p.payload_type == want, "UDP %04x: %s" % (kind, p.summary()))
    if kind == 1:
        check(p.logical_address == 0x1001 and len(p.vin) == 17, "identification: %s" % p.show(dump=True))
s = socket.create_connection((host, port))
s.settimeout(20)
s.sendall(bytes(DoIP(payload_type=5, source_address=0x0E12, activation_type=0, reserved_oem=b"")))
p = read(s)
check(p.payload_type == 6 and p.routing_activation_response == 0x10, "activation: %s" % p.summary())


def ask(request):
    s.sendall(bytes(DoIP(payload_type=0x8001, source_address=0x0E12, target_address=0x1001) / request))
    ack = read(s)
    check(ack.payload_type == 0x8002 and ack.ack_code == 0, "acknowledged: %s" % ack.summary())
    return UDS(bytes(read(s)[UDS]))


p = ask(UDS() / UDS_DSC(diagnosticSessionType=3))
check(p.service == 0x50 and p.diagnosticSessionType == 3, "session: %s" % p.summary())
p = ask(UDS() / UDS_TP(subFunction=0))
check(p.service == 0x7E, "tester present: %s" % p.summary())
p = ask(UDS() / UDS_TP(subFunction=5))
check(p.service == 0x7F and p.negativeResponseCode == 0x12, "tester present, no such form: %s" % p.summary())
p = ask(UDS() / UDS_RDBI(identifiers=[0xF190]))
check(p.service == 0x62 and len(bytes(p)) == 3 + 17, "number: %s" % p.summary())
p = ask(UDS(bytes([0x22, 0xF4, 0x05])))
check(p.service == 0x62 and bytes(p)[1:3] == b"\xF4\x05", "coolant: %s" % p.summary())
p = ask(UDS(bytes([0x19, 0x02, 0xFF])))
check(p.service == 0x59 and (len(bytes(p)) - 3) % 4 == 0, "codes: %s" % p.summary())
for fan in (0xFD40, 0xFD41):
    p = ask(UDS(struct.pack(">BHBB", 0x2F, fan, 3, 1)))
    check(bytes(p) == struct.pack(">BHBB", 0x6F, fan, 3, 1), "command: %s" % bytes(p).hex())
p = ask(UDS(struct.pack(">BHB", 0x2F, 0xFD40, 0)))
check(bytes(p)[:4] == struct.pack(">BHB", 0x6F, 0xFD40, 0), "given back: %s" % bytes(p).hex())
p = ask(UDS(struct.pack(">BHBB", 0x2F, 0xFD40, 3, 9)))
check(p.service == 0x7F and p.negativeResponseCode == 0x31, "no such state: %s" % p.summary())
p = ask(UDS(bytes([0x14, 0xFF, 0xFF, 0xFF])))
check(p.service == 0x54, "cleared: %s" % p.summary())
p = ask(UDS(bytes([0x14, 0x12, 0x34, 0x56])))
check(p.service == 0x7F and p.negativeResponseCode == 0x31, "no such group: %s" % p.summary())
p = ask(UDS() / UDS_DSC(diagnosticSessionType=1))
check(p.service == 0x50, "default session: %s" % p.summary())
s.close()

b = can.interface.Bus(interface="socketcand", host="127.0.0.1", port=bus, channel="can0")


def frames(request, to=0x7E0):
    """Puts a single frame and gathers the answer of 0x7E8 by ISO 15765-2."""
    b.send(can.Message(arbitration_id=to, is_extended_id=False, data=bytes([len(request)]) + request + b"\xAA" * (7 - len(request))))
    data, want = b"", 0
    until = time.monotonic() + 20
    while time.monotonic() < until:
        m = b.recv(1)
        if m is None or m.arbitration_id != 0x7E8:
            continue
        kind = m.data[0] >> 4
        if kind == 0:
            return bytes(m.data[1:1 + m.data[0]])
        if kind == 1:
            want, data = (m.data[0] & 0x0F) << 8 | m.data[1], bytes(m.data[2:])
            b.send(can.Message(arbitration_id=0x7E0, is_extended_id=False, data=b"\x30\x00\x00\xAA\xAA\xAA\xAA\xAA"))
        elif kind == 2:
            data += bytes(m.data[1:])
            if len(data) >= want:
                return data[:want]
    return b""


for request, head in ((b"\x01\x00", b"\x41\x00"), (b"\x01\x05", b"\x41\x05"), (b"\x01\x0C", b"\x41\x0C"), (b"\x01\x0D", b"\x41\x0D"),
                      (b"\x01\x20", b"\x41\x20"), (b"\x01\x40", b"\x41\x40"), (b"\x01\x42", b"\x41\x42"), (b"\x03", b"\x43"),
                      (b"\x07", b"\x47"), (b"\x0A", b"\x4A"), (b"\x09\x02", b"\x49\x02\x01"), (b"\x04", b"\x44")):
    got = frames(request, 0x7DF)
    check(got.startswith(head), "%s: %s" % (request.hex(), got.hex()))
got = frames(b"\x01\x00")
check(len(got) == 6 and got[2] >> 3 & 1 == 1, "the coolant is supported: %s" % got.hex())
check(len(frames(b"\x09\x02")) == 20, "a number of several frames")
check(frames(b"\x10\x03")[:2] == b"\x50\x03", "a session on the bus")
check(frames(b"\x2F\xFD\x40\x03\x01")[:5] == b"\x6F\xFD\x40\x03\x01", "a command on the bus")
check(frames(b"\x10\x01")[:2] == b"\x50\x01", "the default session on the bus")
b.shutdown()
print("exchanges %d failures %d" % (exchanges, failures), flush=True)
