#!/usr/bin/env python3
"""Devices that behave badly, asked by 'observe --live'. Usage: run.py PROGRAM CHECKOUT [MODE…]
CHECKOUT is the project's own folder: the server (server.go.txt) is built with its modules, the demo written by PROGRAM. Loopback only.
QUICK=1 leaves out the kinds that are slow by their nature, as who drips or falls silent. One line a kind: exit code, seconds, MB at most, files kept, flags. CTL raw control characters, SECRET told, PANIC, EXTRA files; TIME over 200 s; MEM over 300 MB.
Whether a state kept is what was said is for the reader: 'ok', 'dup', 'l-multi', 'snmp …' must not keep what nobody said of quay-edge."""
import os, re, resource, shutil, subprocess, sys, tempfile, time
from concurrent.futures import ThreadPoolExecutor
prog, checkout, only = os.path.abspath(sys.argv[1]), os.path.abspath(sys.argv[2]), sys.argv[3:]
here = os.path.dirname(os.path.abspath(__file__)); W = tempfile.mkdtemp()
BAD = re.compile('[\x00-\x08\x0b-\x1f\x7f-\x9f\u200e\u200f\u202a-\u202e\u2066-\u2069\u2028\u2029\u2060-\u2065\u206a-\u206f\ufeff]')
subprocess.run([prog, 'demo', '--dir', f'{W}/demo'], stdout=subprocess.DEVNULL)
src = f'{W}/src'; os.makedirs(f'{src}/evil'); shutil.copy(f'{here}/server.go.txt', f'{src}/evil/main.go')
for f in ('go.mod', 'go.sum'): shutil.copy(f'{checkout}/{f}', src)
subprocess.run(['go', 'build', '-o', f'{W}/evil', './evil'], cwd=src, check=True, env={**os.environ, 'GOFLAGS': '-mod=mod'})
S = [subprocess.Popen([f'{W}/evil', f'{W}/tcp'], stdout=subprocess.PIPE), subprocess.Popen([sys.executable, f'{here}/snmp.py', f'{W}/udp'], stdout=subprocess.PIPE)]
bad = 0
def one(job):
    global bad
    d, m = job; w = f'{W}/out/{os.path.basename(d)}-{m}'; os.makedirs(w)
    for f in ('skerry.plan.yaml', 'skerry.ledger'): shutil.copy(f'{W}/demo/{f}', w)
    t = time.time()
    p = subprocess.Popen([prog, 'observe', '--live', 'quay-edge', '--access', f'{d}/{m}.yaml', '-w', 'out'], cwd=w, stdin=subprocess.DEVNULL, stdout=open(f'{w}/o', 'wb'), stderr=open(f'{w}/e', 'wb'), preexec_fn=lambda: resource.setrlimit(resource.RLIMIT_AS, (9 << 30,) * 2))
    rc = None
    while time.time() - t < 240:
        pid, st, ru = os.wait4(p.pid, os.WNOHANG)
        if pid: rc = os.waitstatus_to_exitcode(st); break
        time.sleep(.05)
    else: p.kill(); _, st, ru = os.wait4(p.pid, 0); rc = 'cut'
    dt, mb = time.time() - t, ru.ru_maxrss // 1024
    o, e = (open(f'{w}/{x}', 'rb').read().decode('utf-8', 'replace') for x in 'oe'); F = []
    if BAD.search(o + e): F.append('CTL')
    kept = os.listdir(f'{w}/out') if os.path.isdir(f'{w}/out') else []
    if 'S3cr3t' in o + e + ''.join(open(f'{w}/out/{f}', errors='replace').read() for f in kept if os.path.isfile(f'{w}/out/{f}')): F.append('SECRET')
    if re.search('panic|goroutine|fatal', e): F.append('PANIC')
    if dt > 200: F.append('TIME')
    if mb > 300: F.append('MEM')
    if set(os.listdir(w)) - {'skerry.plan.yaml', 'skerry.ledger', 'o', 'e', 'out'}: F.append('EXTRA')
    bad += bool(F)
    print(f'{m:14} exit {rc} {dt:6.1f} s {mb:5} MB kept {kept} {" ".join(F)} | {(o + " ## " + e)[:240]!r}', flush=True)
try:
    for p in S: p.stdout.readline()
    slow = 'raw-silent hello-silent half-stall l-silent l-60mb l-endless l-longline drip l-stderr w-drip never'.split() if os.environ.get('QUICK') else []
    J = [(d, m) for d in (f'{W}/tcp', f'{W}/udp') for m in open(f'{d}/modes').read().split() if (not only or m in only) and m not in slow]
    with ThreadPoolExecutor(4) as x: list(x.map(one, J))
finally:
    for p in S: p.kill()
    shutil.rmtree(W, ignore_errors=True)
print(f'{len(J)} kinds, {bad} flagged'); sys.exit(1 if bad else 0)
