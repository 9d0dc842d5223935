#!/usr/bin/env python3
"""Slips of the hand, planted one (or six) at a time in networks of 5 to 30 devices: does `check` name the line, and does its first remedy undo the slip?
Usage: slips.py PROGRAM SEED COUNT [KIND…]   COUNT networks for each kind; SIX=1: six at once in COUNT networks; KEEP=FOLDER keeps the plans. Shares no code with the program.
named:   a finding stands at the planted line, or its remedy edits it
undone:  the first remedy (of the first finding that has one, errors first) gives the text as it was, or as good: check clean, no pair of a ping from all to all worse, no line more
quiet:   and that remedy leaves no other error"""
import collections, concurrent.futures as cf, json, os, random, subprocess, sys, tempfile
KEEP = os.environ.get('KEEP') or tempfile.mkdtemp(); PROG = 'ropeswing'

def make(seed, must=None):
    """the lines of a sound plan, each with what it is"""
    r = random.Random(seed); L = []; add = lambda text, kind='', **more: L.append(dict(text=text, kind=kind, **more))
    n = r.randint(2, 6); must = r.random() < .5 if must is None else (r.random(), must)[1]; trunky = [r.random() < .6 for _ in range(n)]; two = [r.random() < .35 for _ in range(n)]
    edges = [(r.randrange(max(0, i - 2), i), i) for i in range(1, n)]
    base = r.choice(['10.{}.{}', '172.{}.{}', '192.168.{}{}']) if False else '10.{}.{}'
    lans = []                                   # (name, router, vlan, subnet)
    for i in range(n):
        for j in range(2 if two[i] else 1): lans.append((f'lan{i}{"ab"[j]}', i, 10 * (i + 1) + j, f'10.{i + 1}.{j * 8}'))
    add('ropeswing: 1'); add('plan: slips'); add('operator: h0a0')
    hosts = {s: r.randint(1, 2) for s, *_ in lans}
    if must:
        add('must:')
        for a, b in zip(lans, lans[1:] + lans[:1]):
            if a != b: add(f'  - {a[0]} reaches {b[0]}')
        add('  - lan0a reaches 192.0.2.7')
    add('segments:')
    for s, i, v, p in lans: add(f'  {s}: {{vlan: {v}, prefix: {p}.0/24}}', 'segment', name=s)
    for k, (a, b) in enumerate(edges): add(f'  link{k}: {{prefix: 10.255.{k}.0/30}}', 'link', name=f'link{k}')
    add('  up: {prefix: 198.51.100.0/30}'); add('devices:')
    adj = collections.defaultdict(list)
    for k, (a, b) in enumerate(edges): adj[a].append((b, f'10.255.{k}.2', k)); adj[b].append((a, f'10.255.{k}.1', k))
    def first(i):                               # next hop of i towards each router
        nxt, q = {}, [(x, a) for x, a, _ in adj[i]]
        for x, a in q: nxt.setdefault(x, a)
        while q:
            x, a = q.pop(0)
            for y, _, _ in adj[x]:
                if y != i and y not in nxt: nxt[y] = a; q.append((y, a))
        return nxt
    guard = r.randrange(n) if r.random() < .5 else None
    for i in range(n):
        add(f'  r{i}:', 'device', name=f'r{i}'); add('    is: router', 'is', name=f'r{i}'); add(f'    loopback: 10.254.0.{i + 1}')
        add('    interfaces:')
        mine = [x for x in lans if x[1] == i]
        if trunky[i] or two[i]:
            add('      e0: {}', 'parent', router=i)
            for s, _, v, p in mine: add(f'      e0.{v}: {{segment: {s}, address: {p}.1/24}}', 'lanport', router=i, vlan=v, lan=s, sub=True)
        else:
            for s, _, v, p in mine: add(f'      e0: {{segment: {s}, address: {p}.1/24}}', 'lanport', router=i, vlan=v, lan=s, sub=False)
        for k, (a, b) in enumerate(edges):
            if i in (a, b): add(f'      l{k}: {{segment: link{k}, address: 10.255.{k}.{1 if i == a else 2}/30}}', 'linkport', router=i, link=k)
        if i == 0: add('      wan: {segment: up, address: 198.51.100.2/30}', 'wanport'); add('    translates:'); add('      - 10.0.0.0/8 shares wan', 'translate')
        if guard == i:
            add('    otherwise: drop'); add('    keeps-state: true'); add('    permits:')
            if r.random() < .5: add('      - 10.0.0.0/8 may reach anyone', 'permit', router=i)
            else:
                for s, *_ in lans: add(f'      - {s} may reach anyone', 'permit', router=i)
                for k in range(len(edges)): add(f'      - link{k} may reach anyone')
                add('      - 10.254.0.0/24 may reach anyone')
        add('    routes:'); nx = first(i)
        for s, o, v, p in lans:
            if o != i: add(f'      {p}.0/24: {nx[o]}', 'route', router=i, to=s, via=nx[o])
        for o in range(n):
            if o != i: add(f'      10.254.0.{o + 1}/32: {nx[o]}', 'loroute', router=i, via=nx[o])
        for k, (a, b) in enumerate(edges):
            if i not in (a, b): add(f'      10.255.{k}.0/30: {nx[a] if a in nx else nx[b]}', 'linkroute', router=i, via=nx[a])
        add('      default: ' + ('198.51.100.1' if i == 0 else nx[0]), 'default', router=i)
    cab = []
    for s, i, v, p in lans:
        first_of = not any(x[0] == s and False for x in lans)
    for i in range(n):
        mine = [x for x in lans if x[1] == i]; far = r.random() < .5
        sws = [f's{i}'] + ([f't{i}'] if far else [])
        for w, sw in enumerate(sws):
            add(f'  {sw}:', 'device', name=sw); add('    is: switch'); add(f'    gateway: {mine[0][3]}.1', 'swgateway', lan=mine[0]); add('    interfaces:')
            tags = '[' + ', '.join(x[0] for x in mine) + (', 999' if len(mine) == 1 else '') + ']'
            if w == 0: add(f'      up: {{tagged: {tags}}}' if trunky[i] or two[i] else f'      up: {{access: {mine[0][0]}}}', 'swup', tagged=trunky[i] or two[i], lans=mine)
            if far: add(f'      x: {{tagged: {tags}}}', 'swtrunk', lans=mine)
            add(f'      mgmt: {{vlan: {mine[0][0]}, address: {mine[0][3]}.{20 + w}/24}}', 'mgmt', lan=mine[0])
            for s, _, v, p in mine:
                for h in range(hosts[s]):
                    if (h % 2 == 1) == (w == 1) or len(sws) == 1: add(f'      p{s[3:]}{h}: {{access: {s}}}', 'access', lan=s, others=[x[0] for x in lans if x[0] != s]); cab.append((f'h{s[3:]}{h}:e', f'{sw}:p{s[3:]}{h}'))
        cab.append((f'r{i}:e0', f's{i}:up'))
        if far: cab.append((f's{i}:x', f't{i}:x'))
    for s, i, v, p in lans:
        for h in range(hosts[s]):
            add(f'  h{s[3:]}{h}:', 'device', name=f'h{s[3:]}{h}'); add('    is: host'); add(f'    gateway: {p}.1', 'gateway', lan=s, base=p, router=i)
            add(f'    interfaces: {{e: {{segment: {s}, address: {p}.{100 + h}/24}}}}', 'host', lan=s, base=p)
    add('  isp:'); add('    is: world'); add('    beyond: 192.0.2.0/24'); add('    interfaces: {e: {segment: up, address: 198.51.100.1/30}}', 'isp')
    add('cables:')
    for k, (a, b) in enumerate(edges): cab.append((f'r{a}:l{k}', f'r{b}:l{k}'))
    cab.append(('r0:wan', 'isp:e'))
    for a, b in cab: add(f'  - {a} to {b}', 'cable', ends=(a, b))
    return L

def pick(r, L, kind, ok=lambda x: True):
    c = [i for i, x in enumerate(L) if x['kind'] == kind and ok(x)]
    return r.choice(c) if c else None
def swap(L, i, a, b):
    assert a in L[i]['text'], (L[i]['text'], a); L[i] = dict(L[i], text=L[i]['text'].replace(a, b, 1)); return i
S = {}
def slip(f): S[f.__name__.replace('_', ' ')] = f; return f
def octets(a): return a.split('.')
def line(kind, change, ok=lambda x: True):
    def f(r, L):
        i = pick(r, L, kind, ok)
        if i is None: return None
        t = change(r, L[i], L)
        if t is None or t == L[i]['text']: return None
        L[i] = dict(L[i], text=t); return i
    return f
def digit(a, r, last=True):
    """another last octet, one digit off"""
    o = octets(a); v = int(o[-1]); o[-1] = str(r.choice([x for x in (v + 1, v + 2, v + 10, v * 10 + 1 if v < 20 else v // 10) if 0 < x < 255 and x != v])); return '.'.join(o)
def off(a, r, k=2):
    o = octets(a); v = int(o[k]); o[k] = str(r.choice([x for x in (v + 1, v + 10, v + 100) if x < 255])); return '.'.join(o)
def own(a): o = octets(a); o[-1] = '1' if o[-1] == '2' else '2'; return '.'.join(o)
def add_(name, f): S[name] = f
R = lambda f: (lambda r, x, L: f(r, x))
# routes
add_('next hop: own address', line('route', R(lambda r, x: x['text'].replace(x['via'], own(x['via'])))))
add_('next hop: nobody there', line('route', R(lambda r, x: x['text'].replace(x['via'], x['via'][:-1] + '3' if False else digit(x['via'], r)))))
add_('next hop: other subnet', line('route', R(lambda r, x: x['text'].replace(x['via'], off(x['via'], r)))))
add_('next hop: swapped digits', line('route', R(lambda r, x: x['text'].replace('10.255.', '10.525.' if False else '10.225.')) , lambda x: x['via'].startswith('10.255')))
def wrongway(r, x, L):
    c = sorted({y['via'] for y in L if y['kind'] in ('route', 'default') and y.get('router') == x['router'] and y.get('via') and y['via'] != x['via']})
    return x['text'].replace(x['via'], r.choice(c)) if c else None
add_('next hop: the other neighbour', line('route', wrongway))
add_('next hop: a host', line('route', lambda r, x, L: x['text'].replace(x['via'], next(y['base'] + '.100' for y in L if y['kind'] == 'host' and y['base'].startswith(f'10.{x["router"] + 1}.')))))
add_('route: mask too long', line('route', R(lambda r, x: x['text'].replace('/24', r.choice(['/25', '/26', '/28'])))))
add_('route: mask too short', line('route', R(lambda r, x: x['text'].replace('.8.0/24', '.0.0/16').replace('.0.0/24', '.0.0/14' if False else '.0.0/16'))))
add_('route: destination one off', line('route', R(lambda r, x: x['text'].replace(x['text'].split('.0/24')[0].strip(), off(x['text'].split('.0/24')[0].strip() + '.0', r, 1).rsplit('.', 1)[0]))))
add_('route: third octet off', line('route', R(lambda r, x: x['text'].replace(x['text'].split('.0/24')[0].strip(), off(x['text'].split('.0/24')[0].strip() + '.0', r, 2).rsplit('.', 1)[0]))))
def lone(L):
    """a route that does not lead where the router's default leads"""
    d = {x['router']: x['text'].split()[-1] for x in L if x['kind'] == 'default'}
    return lambda x: x['via'] != d.get(x['router'])
def drop(kind, ok=lambda x: True):
    def f(r, L):
        i = pick(r, L, kind, ok)
        if i is None: return None
        L.pop(i); return -1
    return f
add_('route: forgotten', lambda r, L: drop('route', lone(L))(r, L)); add_('default: forgotten', drop('default', lambda x: x['router'] > 0)); add_('default: forgotten at the edge', drop('default', lambda x: x['router'] == 0))
add_('route: discards', line('route', R(lambda r, x: x['text'].replace(x['via'], '{discard: true}'))))
add_('route: out of another port', line('route', R(lambda r, x: x['text'].replace(x['via'], '{out: e0}') ), lambda x: True))
add_('route: watches what never answers', lambda r, L: line('route', R(lambda r, x: x['text'].replace(x['via'], f'{{next-hop: {x["via"]}, watch: 10.99.0.1}}')), lone(L))(r, L))
add_('default: own address', line('default', R(lambda r, x: x['text'].replace(x['text'].split()[-1], own(x['text'].split()[-1]))), lambda x: x['router'] > 0))
add_('default: nobody there', line('default', R(lambda r, x: x['text'].replace(x['text'].split()[-1], digit(x['text'].split()[-1], r)))))
def facing(r, L):
    c = [i for i, x in enumerate(L) if x['kind'] == 'default' and x['router'] == 0]; y = [z for z in L if z['kind'] == 'default' and z['router'] > 0]
    back = [own(z['text'].split()[-1]) for z in y if z['text'].split()[-1] in {own(q) for q in [own(z['text'].split()[-1])]}]
    mine = [f'10.255.{z["link"]}.2' for z in L if z['kind'] == 'linkport' and z['router'] == 0]
    if not c or not mine: return None
    L[c[0]] = dict(L[c[0]], text='      default: ' + r.choice(mine)); return c[0]
add_('default: two face each other', facing)
# addresses
add_('host: mask too short', line('host', R(lambda r, x: x['text'].replace('/24', r.choice(['/16', '/22', '/8'])))))
add_('host: mask too long', line('host', R(lambda r, x: x['text'].replace('/24', r.choice(['/26', '/28', '/30'])))))
add_('host: broadcast', line('host', R(lambda r, x: x['text'].replace(x['base'] + '.10', x['base'] + '.255/24}}}#').split('#')[0] if False else x['text'].replace(f'{x["base"]}.100', f'{x["base"]}.255').replace(f'{x["base"]}.101', f'{x["base"]}.255'))))
add_('host: the subnet itself', line('host', R(lambda r, x: x['text'].replace(f'{x["base"]}.100', f'{x["base"]}.0').replace(f'{x["base"]}.101', f'{x["base"]}.0'))))
add_('host: other subnet', line('host', R(lambda r, x: x['text'].replace(x['base'], off(x['base'] + '.0', r, 1).rsplit('.', 1)[0]))))
add_("host: the router's address", line('host', R(lambda r, x: x['text'].replace(f'{x["base"]}.100', f'{x["base"]}.1').replace(f'{x["base"]}.101', f'{x["base"]}.1'))))
add_("host: the switch's address", line('host', R(lambda r, x: x['text'].replace(f'{x["base"]}.100', f'{x["base"]}.20').replace(f'{x["base"]}.101', f'{x["base"]}.20')), lambda x: x['lan'].endswith('a')))
add_('gateway: nobody', line('gateway', R(lambda r, x: x['text'].replace('.1', digit(f'{x["base"]}.1', r)[len(x['base']):]) if False else f'    gateway: {digit(x["base"] + ".1", r)}')))
add_('gateway: other subnet', line('gateway', R(lambda r, x: f'    gateway: {off(x["base"] + ".1", r, 1)}')))
add_('gateway: a host', line('gateway', lambda r, x, L: f'    gateway: {x["base"]}.100' if sum(y['kind'] == 'host' and y['lan'] == x['lan'] for y in L) > 1 else None))
add_('gateway: the switch', line('gateway', R(lambda r, x: f'    gateway: {x["base"]}.20'), lambda x: x['lan'].endswith('a')))
add_('gateway: wrong at a switch', line('swgateway', R(lambda r, x: f'    gateway: {digit(x["lan"][3] + ".1", r)}')))
add_('link: mask', line('linkport', R(lambda r, x: x['text'].replace('/30', r.choice(['/31', '/29'])))))
add_('link: broadcast', line('linkport', R(lambda r, x: x['text'].replace('.2/30', '.3/30').replace('.1/30', '.3/30'))))
add_('link: same at both ends', line('linkport', R(lambda r, x: x['text'].replace('.2/30', '.9/30').replace('.1/30', '.2/30').replace('.9/30', '.1/30'))))
add_('link: other subnet', line('linkport', R(lambda r, x: x['text'].replace(f'10.255.{x["link"]}', f'10.255.{x["link"] + 20}'))))
add_('lan: router mask', line('lanport', R(lambda r, x: x['text'].replace('/24', r.choice(['/25', '/26', '/23' if False else '/28'])))))
add_('lan: router other address', line('lanport', R(lambda r, x: x['text'].replace('.1/24', r.choice(['.254/24', '.2/24', '.11/24'])))))
add_('lan: router other subnet', line('lanport', R(lambda r, x: x['text'].replace('address: 10.', 'address: 10.1'))))
add_('mgmt: duplicate', line('mgmt', R(lambda r, x: x['text'].replace('.20/24', '.1/24').replace('.21/24', '.1/24'))))
add_('mgmt: other subnet', line('mgmt', R(lambda r, x: x['text'].replace('address: 10.', 'address: 10.1'))))
# ports and VLANs
add_('port down: host port', line('access', R(lambda r, x: x['text'].replace('}', ', admin: down}'))))
add_('port down: link', line('linkport', R(lambda r, x: x['text'].replace('}', ', admin: down}'))))
add_('port down: router lan', line('lanport', R(lambda r, x: x['text'].replace('}', ', admin: down}'))))
add_('port down: switch up', line('swup', R(lambda r, x: x['text'].replace('}', ', admin: down}'))))
add_('port down: trunk', line('swtrunk', R(lambda r, x: x['text'].replace('}', ', admin: down}'))))
add_('access: another VLAN', line('access', R(lambda r, x: x['text'].replace(x['lan'], r.choice(x['others'])) if x['others'] else None)))
add_('access: a VLAN nobody has', line('access', R(lambda r, x: x['text'].replace(x['lan'], '777'))))
add_('mgmt: wrong VLAN', line('mgmt', lambda r, x, L: x['text'].replace(x['lan'][0], r.choice([y['name'] for y in L if y['kind'] == 'segment' and y['name'] != x['lan'][0]])) if sum(y['kind'] == 'segment' for y in L) > 1 else None))
def untag(r, x): s = r.choice(x['lans'])[0]; return x['text'].replace(s + ', ', '').replace(', ' + s, '')
add_('trunk: VLAN missing', line('swtrunk', R(untag))); add_('trunk: VLAN missing to the router', line('swup', R(untag), lambda x: x['tagged']))
add_('trunk: access instead', line('swup', R(lambda r, x: f'      up: {{access: {x["lans"][0][0]}}}'), lambda x: x['tagged']))
add_('trunk: another VLAN', line('swtrunk', lambda r, x, L: x['text'].replace(x['lans'][0][0], '778')))
add_('tag: wrong', line('lanport', R(lambda r, x: x['text'].replace(f'e0.{x["vlan"]}:', f'e0.{x["vlan"] + 1 if x["vlan"] % 10 == 0 and False else x["vlan"] + 100}:')), lambda x: x['sub']))
add_('mtu: one end of a link', line('linkport', R(lambda r, x: x['text'].replace('}', ', mtu: 1400}'))))
add_('mtu: jumbo on a router', line('lanport', R(lambda r, x: x['text'].replace('}', ', mtu: 9000}'))))
add_('cable: forgotten', drop('cable', lambda x: ':l' not in x['ends'][0] and ':wan' not in x['ends'][0]))
add_('cable: wrong port', line('cable', lambda r, x, L: (lambda o: f'  - {x["ends"][0]} to {o}' if o else None)(next((y['ends'][1].split(':')[0] + ':spare' for y in [x]), None))))
# permits and translation
NEEDS = {'permit: forgotten', 'permit: over the wrong protocol', 'permit: waits', 'permit: drops before'}
add_('permit: forgotten', lambda r, L: drop('permit')(r, L) if sum(x['kind'] == 'permit' for x in L) > 1 else None); add_('permit: drops before', lambda r, L: (lambda i: None if i is None else (L.insert(i, dict(text='      - lan0a may not reach anyone', kind='planted')), i)[1])(next((i for i, x in enumerate(L) if x['kind'] == 'permit'), None)))
add_('permit: over the wrong protocol', line('permit', R(lambda r, x: x['text'] + ' over tcp')))
add_('permit: waits', line('permit', R(lambda r, x: '      - {permit: ' + x['text'].split('- ')[1] + ', pending: true}')))
add_('translation: forgotten', lambda r, L: (lambda i: (L.pop(i), L.pop(i - 1), -1)[2])(next(i for i, x in enumerate(L) if x['kind'] == 'translate')))
add_('translation: wrong port', line('translate', R(lambda r, x: x['text'].replace('wan', 'e0')), lambda x: True))
add_('router: does not forward', line('is', R(lambda r, x: '    is: router\n    forwards: false')))

def run(*a):
    p = subprocess.run([PROG, *a], capture_output=True, text=True, timeout=120)
    return p.returncode, p.stdout, p.stderr
def checked(f):
    rc, o, e = run('check', '-o', 'json', '-p', f)
    try: return json.loads(o)
    except Exception: return dict(findings=[], errors=99, warnings=0, bad=e[:300])
def pairs(f):
    rc, o, e = run('ping', '--all-pairs', '-o', 'json', '-p', f)
    try: return json.loads(o)
    except Exception: return None
def lost(f):
    j = pairs(f)
    if j is None: return None
    for k in ('paths',):
        if isinstance(j.get(k), list): return {(p.get('from'), p.get('to')) for p in j[k] if p.get('verdict', 'fails') != 'works'}
    return None
text = lambda L: '\n'.join(x['text'] for x in L) + '\n'
def typed(lines, changes):
    """the text with the edits of a remedy typed in, last place first; None where one is words only"""
    if not changes or any('line' not in c for c in changes): return None
    for c in sorted(changes, key=lambda c: -c['line']):
        i = c['line'] - 1; o = c.get('out') or []
        if lines[i:i + len(o)] != o: return None
        lines[i:i + len(o)] = c.get('in') or []
    return lines
rank = dict(error=0, warning=1, advice=2)
def remedies(j): return [f for f in sorted(j['findings'], key=lambda f: rank[f['severity']]) if f.get('remedy') and f['severity'] != 'advice']

def one(kind, seed):
    r = random.Random(f'{kind}{seed}'); sound = make(seed, True if kind in NEEDS else None); L = [dict(x) for x in sound]
    at = S[kind](r, L)
    if at is None: return None
    a, b = f'{KEEP}/{seed}.plan.yaml', f'{KEEP}/{kind.replace(" ", "-").replace(":", "")}-{seed}.plan.yaml'
    d = f'{KEEP}/d{abs(hash((kind, seed)))}'; os.makedirs(d, exist_ok=True)
    a, b, c = f'{d}/a.yaml', f'{d}/b.yaml', f'{d}/c.yaml'
    open(a, 'w').write(text(sound)); open(b, 'w').write(text(L))
    ja, jb = checked(a), checked(b)
    if ja['errors'] or ja['warnings']: return dict(sound=False, why=[f['name'] + ': ' + f['reason'] for f in ja['findings']][:3])
    ln = at + 1 if at >= 0 else None
    res = dict(kind=kind, seed=seed, green=not (jb['errors'] or jb['warnings']), folder=d)
    near = {ln, ln + 1} if ln and '\n' in L[at]['text'] else {ln} if ln else set()
    def touches(f):
        l = {f.get('line')} | {s['line'] for s in f.get('also') or []}
        for ch in f.get('changes') or []: l |= set(range(ch.get('line', 0), ch.get('line', 0) + max(1, len(ch.get('out') or []))))
        return l
    res['named'] = any(near & touches(f) for f in jb['findings']) if ln else bool(jb['errors'] + jb['warnings'])
    rem = remedies(jb); res['first'] = rem[0]['remedy'] if rem else None; res['undone'] = res['quiet'] = False
    if rem:
        t = typed(text(L).rstrip('\n').split('\n'), rem[0].get('changes'))
        if t is not None:
            open(c, 'w').write('\n'.join(t) + '\n')
            same = '\n'.join(t) + '\n' == text(sound)
            jc = checked(c); res['quiet'] = jc['errors'] == 0
            good = jc['errors'] == 0 and jc['warnings'] == 0
            if good and not same: good = lost(c) is not None and lost(c) <= (lost(a) or set()) and len(t) <= max(len(sound), text(L).count('\n')) + (0 if at >= 0 else 1)
            res['undone'] = same or good
    return res

def six(seed):
    r = random.Random(f'six{seed}'); sound = make(seed, True); L = [dict(x) for x in sound]; done = []; used = set()
    for k in r.sample(sorted(S), len(S)):
        if len(done) == 6: break
        before = [x['text'] for x in L]; M = [dict(x) for x in L]; at = S[k](r, M)
        if at is None or at < 0 or len(M) != len(L) or at in used or '\n' in M[at]['text']: continue
        L = M; used.add(at); done.append((k, at))
    d = f'{KEEP}/six{seed}'; os.makedirs(d, exist_ok=True); f = f'{d}/b.yaml'; lines = text(L).rstrip('\n').split('\n')
    open(f, 'w').write(text(L)); named = set(); turns = 0
    while turns < 14:
        j = checked(f)
        for x in j['findings']:
            l = {x.get('line')} | {s['line'] for s in x.get('also') or []}
            for ch in x.get('changes') or []: l.add(ch.get('line'))
            named |= {at for _, at in done if at + 1 in l}
        rem = [x for x in remedies(j) if x.get('changes')]
        if not rem: break
        t = None
        for x in rem:
            t = typed(list(lines), x['changes'])
            if t is not None and t != lines: break
        if t is None: break
        lines = t; open(f, 'w').write('\n'.join(lines) + '\n'); turns += 1
    j = checked(f); open(f'{d}/a.yaml', 'w').write(text(sound))
    good = j['errors'] == 0 and lost(f) is not None and lost(f) <= (lost(f'{d}/a.yaml') or set())
    return dict(seed=seed, kinds=[k for k, _ in done], named=len(named), of=len(done), mended=good, turns=turns, folder=d, left=[x['name'] + ': ' + x['reason'][:100] for x in j['findings'] if x['severity'] == 'error'][:3], missed=[k for k, a in done if a not in named])

def main():
    global PROG
    PROG, seed, count = sys.argv[1], int(sys.argv[2]), int(sys.argv[3])
    if os.environ.get('SIX'):
        with cf.ThreadPoolExecutor(2) as ex: all = list(ex.map(six, range(seed, seed + count)))
        for x in all:
            if not x['mended'] or x['named'] < x['of']: print(x)
        print('six at once:', sum(x['named'] == x['of'] for x in all), 'all named,', sum(x['mended'] for x in all), 'mended, of', len(all)); return
    kinds = [k for k in S if not sys.argv[4:] or any(a in k for a in sys.argv[4:])]
    jobs = [(k, seed + n) for k in kinds for n in range(count)]
    with cf.ThreadPoolExecutor(2) as ex: all = [x for x in ex.map(lambda j: one(*j), jobs) if x]
    for x in all:
        if x.get('sound') is False: print('not sound:', x)
    all = [x for x in all if 'kind' in x]; tot = collections.Counter()
    page = os.environ.get('PAGE')                # the figures as a table of Markdown
    if page: print('| kind of slip | planted | named | undone | quiet | nothing said |\n|---|---:|---:|---:|---:|---:|')
    for k in kinds:
        m = [x for x in all if x['kind'] == k]
        if not m: print(f'{k:36} none'); continue
        c = {w: sum(x[w] for x in m) for w in ('named', 'undone', 'quiet', 'green')}; tot.update(c); tot['of'] += len(m)
        if page: print(f'| {k} | {len(m)} | {c["named"]} | {c["undone"]} | {c["quiet"]} | {c["green"] or ""} |'); continue
        print(f'{k:36} of {len(m):3}  named {c["named"]:3}  undone {c["undone"]:3}  quiet {c["quiet"]:3}' + (f'  GREEN {c["green"]}' if c['green'] else '') + (f'   {next((x["folder"] + " " + str(x["first"])[:90]) for x in m if not x["undone"])}' if c['undone'] < len(m) else ''), flush=True)
    if page: print(f'| **all** | {tot["of"]} | ' + ' | '.join(f'{100 * tot[w] / max(1, tot["of"]):.1f} %' for w in ('named', 'undone', 'quiet')) + f' | {tot["green"]} |'); return
    low = [w for w, least in (('named', 95), ('undone', 90), ('quiet', 90)) if 100 * tot[w] < least * tot['of']]
    print(len(kinds), 'kinds', dict(tot), ' '.join(f'{w} {100 * tot[w] // max(1, tot["of"])} %' for w in ('named', 'undone', 'quiet'))); sys.exit(1 if low else 0)
if __name__ == '__main__': main()
