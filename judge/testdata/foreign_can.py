"""A vehicle on a CAN bus that is handed on over the network, made from the standards and from nothing of the project: the daemon's open
protocol, ISO 15765-2 with flow control and separation times, ISO 15031-5 and ISO 14229-1 (figures from memory). Its output's state is
printed at each change. The first argument says how it misbehaves."""
import socketserver, sys, threading, time

how = sys.argv[1] if len(sys.argv) > 1 else "well"
extended = how == "29 bits"
state = {"on": False, "session": 1, "asked": 0.0, "cleared": False}
VIN = b"F0RE1GNCANVEH1C02"


def said(on):
    state["on"] = on
    print("on" if on else "off", flush=True)


def respond(request):
    if state["session"] == 3 and time.monotonic() - state["asked"] > 5:
        state["session"] = 1
        said(False)
    state["asked"] = time.monotonic()
    service = request[0]
    if service == 0x01:
        data = {0x00: [0x08, 0x18, 0x00, 0x01], 0x20: [0, 0, 0, 1], 0x40: [0x40, 0, 0, 0], 0x05: [123], 0x0C: [0x0D, 0x48], 0x0D: [0],
                0x42: [0x37, 0x14]}.get(request[1])
        return None if data is None else bytes([0x41, request[1]] + data)
    if service == 0x03:  # seven of them, so that the answer takes several frames
        codes = [] if state["cleared"] else [0x04, 0x80, 0x04, 0x81, 0x01, 0x17, 0x01, 0x18, 0x04, 0x85, 0x41, 0x23, 0xC1, 0x00]
        return bytes([0x43, len(codes) // 2] + codes)
    if service == 0x07:
        return bytes([0x47, 1, 0x04, 0x80])
    if service == 0x0A:
        return None if how == "silent on permanent codes" else bytes([0x4A, 1, 0x04, 0x81])
    if service == 0x04:
        state["cleared"] = True
        return bytes([0x44])
    if service == 0x09 and request[1] == 2:
        return bytes([0x49, 2, 1]) + VIN
    if service == 0x10:
        state["session"] = request[1]
        if request[1] == 1 and state["on"]:
            said(False)
        return bytes([0x50, request[1], 0, 0x32, 0, 0xC8])
    if service == 0x22:
        return bytes([0x62, 0xF1, 0x90]) + VIN if request[1:3] == b"\xF1\x90" else bytes([0x7F, 0x22, 0x31])
    if service == 0x2F:
        if state["session"] != 3:
            return bytes([0x7F, 0x2F, 0x7F])
        said(request[3] == 3 and request[-1] == 1)  # a long record, so that the request takes several frames
        if how == "obeys and is silent":
            return None
        return bytes([0x6F]) + request[1:4]
    if service == 0x3E:
        return None if request[1] & 0x80 else bytes([0x7E, 0])
    return bytes([0x7F, service, 0x11])


class Daemon(socketserver.BaseRequestHandler):
    def message(self):
        text = b""
        while True:
            c = self.request.recv(1)
            if not c:
                raise ConnectionError
            if c == b"<":
                text = b""
            elif c == b">":
                return text.decode().split()
            else:
                text += c

    def frame(self, data):
        data = bytes(data) + b"\x55" * (8 - len(data))
        name = "18DAF110" if extended else "7E8"
        apart = " ".join("%02X" % b for b in data) if how == "bytes apart" else data.hex()
        self.request.sendall(("< frame %s %.6f %s >" % (name, time.time(), apart)).encode())

    def answer(self, data):
        if len(data) <= 7:
            self.frame(bytes([len(data)]) + data)
            return
        self.frame(bytes([0x10 | len(data) >> 8, len(data) & 0xFF]) + data[:6])
        flow = self.flow()
        if flow is None:
            return
        rest, number = data[6:], 1
        order = 2 if how == "loses a frame" else None
        while rest:
            if number != order:
                self.frame(bytes([0x20 | number & 0x0F]) + rest[:7])
            rest, number = rest[7:], number + 1

    def flow(self):
        while True:
            words = self.message()
            if words[0] == "send" and words[3].upper().startswith("3"):
                return words[3:]

    def handle(self):
        send = lambda text: self.request.sendall(text.encode())
        send("< hi >")
        part, want = b"", 0
        try:
            while True:
                words = self.message()
                if words[0] in ("open", "rawmode"):
                    send("< ok >")
                    continue
                if words[0] != "send":
                    continue
                number, data = int(words[1], 16), bytes(int(w, 16) for w in words[3:])
                assert int(words[2]) == len(data)
                to_all, to_one = (0x18DB33F1, 0x18DA10F1) if extended else (0x7DF, 0x7E0)
                if number not in (to_all, to_one):
                    continue
                kind = data[0] >> 4
                if kind == 0:
                    request = data[1:1 + data[0]]
                elif kind == 1:
                    want, part = (data[0] & 0x0F) << 8 | data[1], data[2:]
                    if how == "waits first":
                        self.frame([0x31, 0, 0])
                        time.sleep(0.05)
                    self.frame([0x30, 2, 10])  # two frames at a time, ten milliseconds apart
                    taken = 0
                    continue
                elif kind == 2:
                    part += data[1:]
                    taken += 1
                    if len(part) < want:
                        if taken % 2 == 0:
                            self.frame([0x30, 2, 10])
                        continue
                    request = part[:want]
                else:
                    continue
                if how == "silent":
                    continue
                answer = respond(request)
                if answer is not None and not (number == to_all and answer[0] == 0x7F):
                    self.answer(answer)
        except (ConnectionError, OSError):
            pass


class Server(socketserver.ThreadingTCPServer):
    daemon_threads = True
    allow_reuse_address = True


server = Server(("127.0.0.1", 0), Daemon)
print(server.server_address[1], flush=True)
threading.Thread(target=lambda: (sys.stdin.read(), server.shutdown()), daemon=True).start()
server.serve_forever()
