--
-- PostgreSQL database dump
--


-- Dumped from database version 15.18 (Debian 15.18-0+deb12u1)
-- Dumped by pg_dump version 15.18 (Debian 15.18-0+deb12u1)

SET statement_timeout = 0;
SET lock_timeout = 0;
SET idle_in_transaction_session_timeout = 0;
SET client_encoding = 'UTF8';
SET standard_conforming_strings = on;
SELECT pg_catalog.set_config('search_path', '', false);
SET check_function_bodies = false;
SET xmloption = content;
SET client_min_messages = warning;
SET row_security = off;

--
-- Name: kathodos_keeps_history(); Type: FUNCTION; Schema: public; Owner: -
--

CREATE FUNCTION public.kathodos_keeps_history() RETURNS trigger
    LANGUAGE plpgsql
    SET search_path TO 'pg_catalog'
    AS $$
BEGIN
  RAISE EXCEPTION 'what % holds is not changed', TG_TABLE_NAME USING ERRCODE = 'KD001';
END
$$;


SET default_tablespace = '';

SET default_table_access_method = heap;

--
-- Name: accounts; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.accounts (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    system text,
    login text,
    identity text,
    status text,
    last_login text,
    privileged bigint,
    responsible text,
    attributes text
);


--
-- Name: actions; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.actions (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    system text,
    action text,
    kind text,
    implies text
);


--
-- Name: activity; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.activity (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    "time" text,
    account text,
    identity text,
    action text,
    resource text,
    record text,
    task text,
    count bigint
);


--
-- Name: areas; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.areas (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    area text,
    resources text,
    "except" text,
    filter text
);


--
-- Name: baselines; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.baselines (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    baseline text,
    entry bigint,
    marked_at text,
    reason text
);


--
-- Name: change_edits; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.change_edits (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    change text,
    edit bigint,
    kind text,
    record text,
    before text,
    after text,
    why text,
    author text
);


--
-- Name: changes; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.changes (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    change text,
    state text,
    origin text,
    author text,
    made_at text,
    reason text,
    applied_by text,
    applied_at text,
    effect text,
    despite text
);


--
-- Name: claims; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.claims (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    kind text,
    record text,
    said_by text,
    said text
);


--
-- Name: confirmations; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.confirmations (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    control text,
    confirmed_at text,
    confirmed_by text,
    note text
);


--
-- Name: controls; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.controls (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    control text,
    title text,
    owner text,
    does text,
    period text,
    until_ text,
    added_at text
);


--
-- Name: covers; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.covers (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    rule text,
    identity text,
    control text,
    until_ text,
    reason text,
    covered_by text,
    covered_at text,
    ended_by text,
    ended_at text
);


--
-- Name: decisions; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.decisions (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    review text,
    line bigint,
    decision text,
    decided_by text,
    decided_at text,
    reason text,
    signed bigint,
    capacity text,
    reduced text,
    opened bigint
);


--
-- Name: grants; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.grants (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    "grant" text,
    holder text,
    gives text,
    "on" text,
    effect text,
    tier bigint,
    "from" text,
    until_ text,
    given_by text,
    given_at text,
    reason text,
    last_used text
);


--
-- Name: groups; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.groups (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    system text,
    "group" text,
    title text,
    owner text,
    filter text
);


--
-- Name: identities; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.identities (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    id text,
    name text,
    kind text,
    status text,
    email text,
    department text,
    title text,
    manager text,
    location text,
    employment text,
    starts text,
    ends text,
    sponsor text,
    attributes text
);


--
-- Name: kit_entries; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.kit_entries (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    kit text,
    gives text,
    "on" text,
    "to" text
);


--
-- Name: kits; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.kits (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    kit text,
    title text,
    owner text,
    "for" text,
    domains text,
    approve text,
    lasts text,
    longest text,
    says text,
    hours bigint,
    told text,
    looked_at_by text
);


--
-- Name: ledger; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.ledger (
    number bigint NOT NULL,
    "time" text NOT NULL,
    actor text NOT NULL,
    origin text NOT NULL,
    kind text NOT NULL,
    subjects text NOT NULL,
    reason text NOT NULL,
    payload text NOT NULL,
    rows text NOT NULL,
    settings text NOT NULL,
    proof text NOT NULL,
    leaf_hash bytea NOT NULL
);


--
-- Name: ledger_heads; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.ledger_heads (
    size bigint NOT NULL,
    "time" text NOT NULL,
    root bytea NOT NULL,
    signature bytea NOT NULL
);


--
-- Name: ledger_tree; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.ledger_tree (
    level bigint NOT NULL,
    "position" bigint NOT NULL,
    hash bytea NOT NULL
);


--
-- Name: ledger_versions; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.ledger_versions (
    version bigint NOT NULL,
    entry bigint NOT NULL,
    program text NOT NULL
);


--
-- Name: mandates; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.mandates (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    holder text,
    roles text,
    area text,
    "for" text,
    may text
);


--
-- Name: members; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.members (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    system text,
    "group" text,
    member text
);


--
-- Name: merges; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.merges (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    identity text,
    "into" text,
    email text,
    record text,
    merged_by text,
    merged_at text,
    reason text
);


--
-- Name: orders; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.orders (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    "order" bigint,
    change text,
    system text,
    source_named text,
    kind text,
    record text,
    before text,
    after text,
    state text,
    ordered_by text,
    ordered_at text,
    due text,
    changed_by text,
    changed_at text,
    note text
);


--
-- Name: problems; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.problems (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    file text,
    line bigint,
    "column" text,
    value text,
    reason text,
    remedy text,
    outcome text
);


--
-- Name: request_items; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.request_items (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    request bigint,
    item bigint,
    kind text,
    record text,
    holder text,
    gives text,
    "on" text,
    brought bigint
);


--
-- Name: request_remarks; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.request_remarks (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    request bigint,
    remark bigint,
    sort text,
    said_by text,
    said_at text,
    text text
);


--
-- Name: request_steps; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.request_steps (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    request bigint,
    step bigint,
    approver text,
    "as" text,
    takes text,
    due text,
    decision text,
    decided_by text,
    decided_at text,
    capacity text,
    reason text,
    less text
);


--
-- Name: requests; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.requests (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    request bigint,
    state text,
    kit text,
    entries text,
    whom text,
    holder text,
    asked_by text,
    asked_at text,
    reason text,
    says text,
    until_ text,
    "on" text,
    less text,
    step bigint,
    lapses text,
    renews bigint,
    emergency bigint,
    change text,
    closed_at text,
    closed_by text,
    why text,
    told_of_end text
);


--
-- Name: resources; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.resources (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    resource text,
    type text,
    title text,
    owner text,
    sensitivity bigint,
    detached bigint,
    tags text,
    refers text,
    attributes text
);


--
-- Name: returned; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.returned (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    kind text,
    record text,
    said_by text,
    ended_by bigint,
    ended_at text,
    why text,
    back_at text
);


--
-- Name: review_lines; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.review_lines (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    review text,
    line bigint,
    identity text,
    reviewer text,
    holder text,
    "grant" text,
    "group" text,
    part text,
    value text,
    thing bigint,
    peers_having bigint,
    peers_counted bigint,
    needed_by text,
    conflicts text,
    spoken bigint,
    fences text,
    status text,
    ends text,
    former text,
    last_used text,
    uses bigint,
    until_ text,
    given_by text,
    given_at text,
    given_for text,
    signed_in text,
    risk bigint,
    excess text,
    redundant bigint,
    certified_at text,
    certified_by text,
    speaks text,
    stands_out text,
    all_having bigint,
    all_counted bigint,
    also_needed text,
    beyond text,
    known_since text,
    credited_at text,
    never text,
    lost bigint,
    found text,
    no_account text,
    stands_by text
);


--
-- Name: review_remarks; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.review_remarks (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    review text,
    line bigint,
    remark bigint,
    sort text,
    said_by text,
    said_at text,
    text text,
    whom text
);


--
-- Name: review_things; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.review_things (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    review text,
    thing bigint,
    gives text,
    brings text,
    contains text,
    within text,
    "having" bigint,
    counted bigint,
    recorded text,
    sensitivity bigint
);


--
-- Name: reviews; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.reviews (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    review text,
    selects text,
    opened_at text,
    opened_by text,
    due text,
    state text,
    signed_at text,
    signed_by text,
    reviewers text,
    declared text,
    about text,
    undecided text,
    "only" text
);


--
-- Name: role_juniors; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.role_juniors (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    system text,
    role text,
    junior text
);


--
-- Name: role_parts; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.role_parts (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    whole text,
    part text,
    took text,
    combined_at text
);


--
-- Name: role_permissions; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.role_permissions (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    system text,
    role text,
    action text,
    resource text,
    effect text
);


--
-- Name: roles; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.roles (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    system text,
    role text,
    title text,
    owner text,
    active bigint
);


--
-- Name: settings; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.settings (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    file text,
    digest text,
    text text
);


--
-- Name: systems; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.systems (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    system text,
    title text,
    owner text,
    combining text,
    inherit bigint,
    gates text
);


--
-- Name: ties; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.ties (
    "row" bigint NOT NULL,
    since bigint NOT NULL,
    until bigint NOT NULL,
    checksum bigint NOT NULL,
    source text,
    account text,
    identity text,
    how text,
    tied_by text,
    tied_at text,
    reason text,
    said text,
    responsible text
);


--
-- Data for Name: accounts; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.accounts VALUES (1, 1, 4611686018427387904, -7228415693016197333, 'files', 'dues', 'ann1', 'ann', 'enabled', '2026-05-01', 0, NULL, NULL);
INSERT INTO public.accounts VALUES (2, 1, 4, -3072616958987587800, 'files', 'dues', 'bo1', NULL, 'enabled', NULL, 0, NULL, NULL);
INSERT INTO public.accounts VALUES (3, 1, 4611686018427387904, 42933575509170942, 'files', 'dues', 'shared', NULL, 'enabled', NULL, 0, NULL, NULL);
INSERT INTO public.accounts VALUES (4, 1, 4611686018427387904, 5549733597675209135, 'files', 'dues', 'bot1', 'bot', 'enabled', NULL, 0, NULL, NULL);
INSERT INTO public.accounts VALUES (5, 1, 4611686018427387904, 8288466604640698949, 'files', 'dues', 'lost', 'nobody-there', 'enabled', NULL, 0, NULL, NULL);
INSERT INTO public.accounts VALUES (6, 4, 4611686018427387904, 3831540001327358480, 'files', 'dues', 'bo1', 'bo', 'enabled', NULL, 0, NULL, NULL);


--
-- Data for Name: actions; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.actions VALUES (1, 1, 4611686018427387904, 8258400086935196488, 'files', 'dues', 'view', 'read', NULL);
INSERT INTO public.actions VALUES (2, 1, 4611686018427387904, -3567496998035413492, 'files', 'dues', 'edit', 'write', 'view');
INSERT INTO public.actions VALUES (3, 1, 4611686018427387904, -9151380786949616176, 'files', 'dues', 'approve', 'approve', 'view');


--
-- Data for Name: activity; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.activity VALUES (1, 1, 4611686018427387904, 6292088822489564507, 'files', '2026-05-01', 'dues/ann1', NULL, 'edit', 'dues:/tariffs/2026', '7', 'tariffs', 2);
INSERT INTO public.activity VALUES (2, 1, 4611686018427387904, 1187326322307600578, 'files', '2026-05-02', 'dues/ann1', NULL, 'approve', 'dues:/waivers/2026', '7', NULL, 1);
INSERT INTO public.activity VALUES (3, 1, 4611686018427387904, 8312281388324376652, 'files', '2026-05-03', 'dues/bot1', NULL, 'view', 'dues:/tariffs/2026', NULL, NULL, 40);


--
-- Data for Name: areas; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.areas VALUES (1, 1, 4611686018427387904, 5231368398417758591, 'files', 'north', 'dues:/**', 'dues:/board', 'site eq "north"');


--
-- Data for Name: baselines; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.baselines VALUES (1, 3, 4611686018427387904, 3834696189555885332, NULL, 'first', 2, '2026-06-01T09:00:00Z', 'the first state');
INSERT INTO public.baselines VALUES (2, 34, 4611686018427387904, -6145961507802377171, NULL, 'last', 33, '2026-06-20T09:00:00Z', NULL);


--
-- Data for Name: change_edits; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.change_edits VALUES (1, 9, 4611686018427387904, -535280302628958541, NULL, 'kit-quay-summer', 1, 'kits', '["quay-summer"]', NULL, '{"kit":"quay-summer","title":"Summer on the quay","owner":"head","approve":"[{\"by\":[\"manager\"]}]","lasts":"P3M","longest":"P6M","says":"which quay"}', NULL, 'r.lund');
INSERT INTO public.change_edits VALUES (2, 9, 4611686018427387904, -5419668353152088039, NULL, 'kit-quay-summer', 2, 'kit_entries', '["quay-summer","group:directory/inner",null,"person"]', NULL, '{"kit":"quay-summer","gives":"group:directory/inner","to":"person"}', NULL, 'r.lund');
INSERT INTO public.change_edits VALUES (3, 9, 4611686018427387904, 8038141813513722090, NULL, 'kit-quay-summer', 3, 'kit_entries', '["quay-summer","role:dues/reader",null,"person"]', NULL, '{"kit":"quay-summer","gives":"role:dues/reader","to":"person"}', NULL, 'r.lund');
INSERT INTO public.change_edits VALUES (4, 16, 4611686018427387904, 5727184232997272744, NULL, 'review-spring', 1, 'grants', '["g2"]', '{"grant":"g2","holder":"identity:ann","gives":"role:dues/waiver","effect":"permit","tier":0}', NULL, NULL, NULL);
INSERT INTO public.change_edits VALUES (5, 19, 4611686018427387904, -2148670328583055801, NULL, 'change-1', 1, 'grants', '["g-yja4jzrqg3dd"]', NULL, '{"grant":"g-yja4jzrqg3dd","holder":"identity:cy","gives":"role:dues/waiver","effect":"permit","tier":0,"until":"2026-12-31","given_by":"head","given_at":"2026-06-15","reason":"stands in"}', NULL, 'head');
INSERT INTO public.change_edits VALUES (6, 20, 4611686018427387904, -8052066473920513084, NULL, 'idea', 1, 'grants', '["g-unyqhvz72gh5"]', NULL, '{"grant":"g-unyqhvz72gh5","holder":"identity:bo","gives":"role:dues/setter","effect":"permit","tier":0,"given_by":"head","given_at":"2026-06-15"}', NULL, 'head');
INSERT INTO public.change_edits VALUES (7, 21, 4611686018427387904, -6986956507790489573, NULL, 'change-2', 1, 'roles', '["dues","all"]', NULL, '{"system":"dues","role":"all","title":"All","active":1}', NULL, 'head');
INSERT INTO public.change_edits VALUES (8, 21, 4611686018427387904, 3427395924531794574, NULL, 'change-2', 2, 'role_permissions', '["dues","all","view","dues:/**","permit"]', NULL, '{"system":"dues","role":"all","action":"view","resource":"dues:/**","effect":"permit"}', 'from role:dues/setter', 'head');
INSERT INTO public.change_edits VALUES (9, 21, 4611686018427387904, 7811630361773651927, NULL, 'change-2', 3, 'role_permissions', '["dues","all","view","dues:/board","deny"]', NULL, '{"system":"dues","role":"all","action":"view","resource":"dues:/board","effect":"deny"}', 'from role:dues/setter', 'head');
INSERT INTO public.change_edits VALUES (10, 21, 4611686018427387904, -5477207652265415668, NULL, 'change-2', 4, 'role_permissions', '["dues","all","edit","dues:/tariffs/**","permit"]', NULL, '{"system":"dues","role":"all","action":"edit","resource":"dues:/tariffs/**","effect":"permit"}', 'from role:dues/setter', 'head');
INSERT INTO public.change_edits VALUES (11, 21, 4611686018427387904, -1971014968545673112, NULL, 'change-2', 5, 'role_permissions', '["dues","all","approve","dues:/waivers/**","permit"]', NULL, '{"system":"dues","role":"all","action":"approve","resource":"dues:/waivers/**","effect":"permit"}', 'from role:dues/waiver', 'head');
INSERT INTO public.change_edits VALUES (12, 21, 4611686018427387904, -3536905538640478489, NULL, 'change-2', 6, 'role_parts', '["role:dues/all","role:dues/setter"]', NULL, '{"whole":"role:dues/all","part":"role:dues/setter","took":"[[\"dues:/**\",\"view\",\"permit\"],[\"dues:/board\",\"view\",\"deny\"],[\"dues:/tariffs/**\",\"edit\",\"permit\"]]","combined_at":"2026-06-15T09:00:00Z"}', NULL, 'head');
INSERT INTO public.change_edits VALUES (13, 21, 4611686018427387904, 6976260617739094029, NULL, 'change-2', 7, 'role_parts', '["role:dues/all","role:dues/waiver"]', NULL, '{"whole":"role:dues/all","part":"role:dues/waiver","took":"[[\"dues:/waivers/**\",\"approve\",\"permit\"]]","combined_at":"2026-06-15T09:00:00Z"}', NULL, 'head');
INSERT INTO public.change_edits VALUES (14, 26, 4611686018427387904, -7131346748131275777, NULL, 'request-1', 1, 'members', '["directory","inner","identity:ann"]', NULL, '{"system":"directory","group":"inner","member":"identity:ann"}', NULL, NULL);
INSERT INTO public.change_edits VALUES (15, 26, 4611686018427387904, -4217193529103651324, NULL, 'request-1', 2, 'grants', '["g-xqloy7eniv3q"]', NULL, '{"grant":"g-xqloy7eniv3q","holder":"identity:ann","gives":"role:dues/reader","effect":"permit","tier":0,"until":"2026-09-15","given_by":"head","given_at":"2026-06-15","reason":"request 1: rota"}', NULL, NULL);


--
-- Data for Name: changes; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.changes VALUES (1, 9, 4611686018427387904, 265512785886453198, NULL, 'kit-quay-summer', 'carried out', 'kit:quay-summer', 'r.lund', '2026-06-01T09:00:00Z', 'the season', 'r.lund', '2026-06-01T09:00:00Z', 'fe6a23f86de9f4d94b0a59a9773465966255aa852fea4fa981303ce49166462b', NULL);
INSERT INTO public.changes VALUES (2, 16, 18, -2498985714190751867, NULL, 'review-spring', 'applied', 'review:spring', 'r.lund', '2026-06-15T09:00:00Z', 'spring review', 'r.lund', '2026-06-15T09:00:00Z', NULL, NULL);
INSERT INTO public.changes VALUES (3, 18, 4611686018427387904, -4902330791044696502, NULL, 'review-spring', 'carried out', 'review:spring', 'r.lund', '2026-06-15T09:00:00Z', 'spring review', 'r.lund', '2026-06-15T09:00:00Z', NULL, NULL);
INSERT INTO public.changes VALUES (4, 19, 4611686018427387904, 4814894786552400365, NULL, 'change-1', 'applied', NULL, 'head', '2026-06-15T09:00:00Z', 'stands in', 'head', '2026-06-15T09:00:00Z', '8f6829a2db4ddadd2eafb0db19ba8795666af2bc6e9b9fa35445b2c12f411f80', NULL);
INSERT INTO public.changes VALUES (5, 20, 4611686018427387904, 4698580968221469615, NULL, 'idea', 'draft', NULL, 'head', '2026-06-15T09:00:00Z', NULL, NULL, NULL, NULL, NULL);
INSERT INTO public.changes VALUES (6, 21, 4611686018427387904, -5682373825458844434, NULL, 'change-2', 'applied', 'combined', 'head', '2026-06-15T09:00:00Z', NULL, 'head', '2026-06-15T09:00:00Z', '0c9418557169c223f7eb8fe037b3dbea6814a54384c46ca03531cb17bf13eaa0', NULL);
INSERT INTO public.changes VALUES (7, 26, 4611686018427387904, 4693374120615216631, NULL, 'request-1', 'applied', 'request:1', 'ann', '2026-06-15T09:00:00Z', 'rota', 'head', '2026-06-15T09:00:00Z', '4d3e1e6f25fbb18bd1764b4148d8fec5345a5506ad1bb867d438b8c7a860edeb', NULL);


--
-- Data for Name: claims; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.claims VALUES (1, 2, 4611686018427387904, 1421294793028503208, NULL, 'identities', '["ann"]', 'files', '{"id":"ann","name":"Ann Clerk","status":"active","email":"ann@office.example","department":"Dues","title":"Clerk","manager":"head","attributes":"{\"site\":\"north\"}"}');
INSERT INTO public.claims VALUES (2, 2, 4611686018427387904, -6722144718241005556, NULL, 'identities', '["ann"]', 'hr', '{"id":"ann","name":"Ann A. Clerk","department":"Tolls"}');


--
-- Data for Name: confirmations; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.confirmations VALUES (1, 7, 4611686018427387904, -4797044209620320965, NULL, 'C-1', '2026-06-01T09:00:00Z', 'head', 'nothing found');


--
-- Data for Name: controls; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.controls VALUES (1, 6, 4611686018427387904, -4525397535084337185, NULL, 'C-2', 'C-2', 'head', 'asks the harbour master', 'P30D', NULL, '2026-06-01T09:00:00Z');


--
-- Data for Name: covers; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.covers VALUES (1, 8, 4611686018427387904, -731851655212834601, NULL, 'D-1', 'ann', 'C-1', '2026-12-31', 'no second clerk', 'head', '2026-06-01T09:00:00Z', NULL, NULL);


--
-- Data for Name: decisions; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.decisions VALUES (1, 14, 16, 3192650733343939608, NULL, 'spring', 5, 'revoke', 'head', '2026-06-15T09:00:00Z', 'one is enough', 0, 'reviewer', NULL, NULL);
INSERT INTO public.decisions VALUES (2, 15, 16, -1487604563392020563, NULL, 'spring', 1, 'certify', 'head', '2026-06-15T09:00:00Z', 'seen', 0, 'reviewer', NULL, NULL);
INSERT INTO public.decisions VALUES (3, 15, 16, 8628184862899045724, NULL, 'spring', 2, 'certify', 'head', '2026-06-15T09:00:00Z', 'seen', 0, 'reviewer', NULL, NULL);
INSERT INTO public.decisions VALUES (4, 15, 16, 5048835457170727491, NULL, 'spring', 3, 'certify', 'head', '2026-06-15T09:00:00Z', 'seen', 0, 'reviewer', NULL, NULL);
INSERT INTO public.decisions VALUES (5, 15, 16, -1689555903776941863, NULL, 'spring', 4, 'certify', 'head', '2026-06-15T09:00:00Z', 'seen', 0, 'reviewer', NULL, NULL);
INSERT INTO public.decisions VALUES (6, 16, 4611686018427387904, -2494055216490834321, NULL, 'spring', 1, 'certify', 'head', '2026-06-15T09:00:00Z', 'seen', 1, 'reviewer', NULL, NULL);
INSERT INTO public.decisions VALUES (7, 16, 4611686018427387904, 7621734209800231966, NULL, 'spring', 2, 'certify', 'head', '2026-06-15T09:00:00Z', 'seen', 1, 'reviewer', NULL, NULL);
INSERT INTO public.decisions VALUES (8, 16, 4611686018427387904, 4042384804071913733, NULL, 'spring', 3, 'certify', 'head', '2026-06-15T09:00:00Z', 'seen', 1, 'reviewer', NULL, NULL);
INSERT INTO public.decisions VALUES (9, 16, 4611686018427387904, -2696006556875755621, NULL, 'spring', 4, 'certify', 'head', '2026-06-15T09:00:00Z', 'seen', 1, 'reviewer', NULL, NULL);
INSERT INTO public.decisions VALUES (10, 16, 4611686018427387904, -6720705206417246633, NULL, 'spring', 5, 'revoke', 'head', '2026-06-15T09:00:00Z', 'one is enough', 1, 'reviewer', NULL, NULL);


--
-- Data for Name: grants; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.grants VALUES (1, 1, 4611686018427387904, 113608199397928586, 'files', 'g1', 'identity:ann', 'role:dues/setter', 'area:north', 'permit', 0, NULL, NULL, 'head', '2025-01-01', 'first day', '2026-05-01');
INSERT INTO public.grants VALUES (2, 1, 18, 4092388901737039805, 'files', 'g2', 'identity:ann', 'role:dues/waiver', NULL, 'permit', 0, NULL, NULL, NULL, NULL, NULL, NULL);
INSERT INTO public.grants VALUES (3, 1, 4611686018427387904, 7783279048013529034, 'files', 'g3', 'identity:bo', 'role:dues/waiver', NULL, 'permit', 0, '2026-01-01', '2027-01-31', NULL, NULL, NULL, NULL);
INSERT INTO public.grants VALUES (4, 1, 4611686018427387904, -7984024812092158968, 'files', 'g4', 'account:dues/shared', 'view dues:/waivers/2025', NULL, 'permit', 1, NULL, NULL, NULL, NULL, NULL, NULL);
INSERT INTO public.grants VALUES (5, 1, 4611686018427387904, 2764021559725755911, 'files', 'g5', 'group:directory/clerks', 'role:dues/reader', NULL, 'permit', 0, NULL, NULL, NULL, NULL, NULL, NULL);
INSERT INTO public.grants VALUES (6, 1, 4611686018427387904, 6639603435629848103, 'files', 'g6', 'everyone', 'view dues:/board', NULL, 'deny', 0, NULL, NULL, NULL, NULL, NULL, NULL);
INSERT INTO public.grants VALUES (7, 1, 4611686018427387904, 147355920993652282, 'files', 'g7', 'identity:gone', 'role:dues/reader', NULL, 'permit', 0, NULL, NULL, NULL, NULL, NULL, NULL);
INSERT INTO public.grants VALUES (8, 1, 22, 7842605693709473986, 'files', 'g8', 'identity:twice', 'view dues:/tariffs/2026', NULL, 'permit', 0, NULL, NULL, NULL, NULL, NULL, NULL);
INSERT INTO public.grants VALUES (9, 22, 4611686018427387904, -6016083570984189935, 'files', 'g8', 'identity:bo', 'view dues:/tariffs/2026', NULL, 'permit', 0, NULL, NULL, NULL, NULL, NULL, NULL);
INSERT INTO public.grants VALUES (10, 30, 4611686018427387904, 4715884686862784581, 'files', 'g2', 'identity:ann', 'role:dues/waiver', NULL, 'permit', 0, NULL, NULL, NULL, NULL, NULL, NULL);


--
-- Data for Name: groups; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.groups VALUES (1, 1, 4611686018427387904, -5064993665480290496, 'files', 'directory', 'clerks', 'Clerks', NULL, 'title eq "Clerk"');
INSERT INTO public.groups VALUES (2, 1, 4611686018427387904, -3143582640708653867, 'files', 'directory', 'inner', 'Inner', NULL, NULL);


--
-- Data for Name: identities; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.identities VALUES (1, 1, 4611686018427387904, 5671638119752110040, 'files', 'head', 'Hanna Head', 'person', 'active', 'hanna@office.example', 'Dues', 'Head', NULL, NULL, NULL, NULL, NULL, NULL, '{"site":"north"}');
INSERT INTO public.identities VALUES (2, 1, 2, -5140595001714753749, 'files', 'ann', 'Ann Clerk', 'person', 'active', 'ann@office.example', 'Dues', 'Clerk', 'head', NULL, NULL, NULL, NULL, NULL, '{"site":"north"}');
INSERT INTO public.identities VALUES (3, 1, 4611686018427387904, 7347320837801975551, 'files', 'bo', 'Bo Clerk', 'person', 'active', 'bo@office.example', 'Dues', 'Clerk', 'head', NULL, NULL, NULL, NULL, NULL, '{"site":"south"}');
INSERT INTO public.identities VALUES (4, 1, 4611686018427387904, -1000695488476671358, 'files', 'cy', 'Cyd "Chief" ; Ünal', 'person', 'active', 'cy@office.example', 'Dues', 'Deputy', 'head', NULL, NULL, NULL, NULL, NULL, NULL);
INSERT INTO public.identities VALUES (5, 1, 22, 2370698979147952226, 'files', 'twice', 'Bo Clerk', 'person', 'active', 'bo.clerk@office.example', 'Dues', 'Clerk', 'head', NULL, NULL, NULL, NULL, NULL, '{"site":"south"}');
INSERT INTO public.identities VALUES (6, 1, 4611686018427387904, 4375317700496350234, 'files', 'gone', 'Gus Gone', 'person', 'left', NULL, 'Dues', 'Clerk', 'head', NULL, NULL, NULL, NULL, NULL, NULL);
INSERT INTO public.identities VALUES (7, 1, 4611686018427387904, 4186355138241498193, 'files', 'bot', 'Night job', 'person', 'active', NULL, NULL, NULL, 'head', NULL, NULL, NULL, NULL, NULL, NULL);
INSERT INTO public.identities VALUES (8, 2, 4611686018427387904, -2389213063736126184, 'files;hr', 'ann', 'Ann A. Clerk', 'person', 'active', 'ann@office.example', 'Dues', 'Clerk', 'head', NULL, NULL, NULL, NULL, NULL, '{"site":"north"}');


--
-- Data for Name: kit_entries; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.kit_entries VALUES (1, 9, 4611686018427387904, 6764496957342412191, NULL, 'quay-summer', 'group:directory/inner', NULL, 'person');
INSERT INTO public.kit_entries VALUES (2, 9, 4611686018427387904, 236796476353768252, NULL, 'quay-summer', 'role:dues/reader', NULL, 'person');


--
-- Data for Name: kits; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.kits VALUES (1, 9, 4611686018427387904, 6874587603309298573, NULL, 'quay-summer', 'Summer on the quay', 'head', NULL, NULL, '[{"by":["manager"]}]', 'P3M', 'P6M', 'which quay', NULL, NULL, NULL);


--
-- Data for Name: ledger; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.ledger VALUES (1, '2026-06-01T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'gather', '["source:files"]', '', '{"source":"files","digest":"96301dc1aab6e75bbcae53951ee1564157b940e05119aeee4a9fd6acb4188989","counts":{"systems":[2,0,0,0,0],"identities":[7,0,0,0,0],"accounts":[5,0,0,0,0],"groups":[2,0,0,0,0],"members":[2,0,0,0,0],"roles":[4,0,0,0,0],"role_juniors":[1,0,0,0,0],"actions":[3,0,0,0,0],"role_permissions":[4,0,0,0,0],"resources":[4,0,0,0,0],"areas":[1,0,0,0,0],"grants":[8,0,0,0,1],"mandates":[1,0,0,0,1],"activity":[3,0,0,0,0]},"columns":{"systems":["owner","system","title"],"identities":["department","email","id","manager","name","site","status","title"],"accounts":["identity","last_login","login","status","system"],"groups":["filter","group","system","title"],"members":["group","member","system"],"roles":["active","role","system","title"],"role_juniors":["junior","role","system"],"actions":["action","implies","kind","system"],"role_permissions":["action","effect","resource","role","system"],"resources":["detached","refers","resource","sensitivity","site","tags","type"],"areas":["area","except","filter","resources"],"grants":["effect","from","given_at","given_by","gives","grant","holder","last_used","on","reason","tier","until"],"mandates":["area","for","holder","may","roles"],"activity":["account","action","count","record","resource","task","time"]}}', '{"accounts":{"opened":"1-5","closed":"","digest":"0c0051607e4ca6b4c7a1ef4c107bbef03e2946584f4435634a7fb7b056f7a53c"},"actions":{"opened":"1-3","closed":"","digest":"df3d51150f804e6540ccb41723983594fa7f91f82a555eccfb9717965a7ae983"},"activity":{"opened":"1-3","closed":"","digest":"da21663b41e7c01a5a10fc171ceae97ce7ad802de4b33c24f26376dd5d66aab7"},"areas":{"opened":"1","closed":"","digest":"0e72487b7220829fccbb12d10725bd559bb80ca8c4b4dac97b50afc8a7a96567"},"grants":{"opened":"1-8","closed":"","digest":"13c303a9b3094ad23743bd9f48649d9531e9f06b5c126eda63b71007e8848e8a"},"groups":{"opened":"1-2","closed":"","digest":"d5c52944402f8446d7966d3a2bc9656761ddbd794b5dc02e74aa5fbf13c30f29"},"identities":{"opened":"1-7","closed":"","digest":"b21768374f9e4cf4ecd6c40417a82f0553f87eeba4d7ea6d3a05cc07275a28b0"},"mandates":{"opened":"1","closed":"","digest":"9eef89967171453f640939def1d5d2cea37b7e6edfbb3331d4da91d9f15cac29"},"members":{"opened":"1-2","closed":"","digest":"1ad0b408d3d8485c069df07e40464a2c6021cf0b1f62a7aa3807f87ed9e7f762"},"problems":{"opened":"1-3","closed":"","digest":"07ff9bc4574f395e73a12d16b76a4ba5187914abab7478a4f1d44fd868fcbfc6"},"resources":{"opened":"1-4","closed":"","digest":"4396d38a1ea075223fb57dfd9f6deaf22a1833b8a8a2f9809e96441fe131796d"},"role_juniors":{"opened":"1","closed":"","digest":"6ec45ca7766eb21598527c2db52618275e290babe77e08706aab5b30dedeb966"},"role_permissions":{"opened":"1-4","closed":"","digest":"e3b283f00fb35bc9f4a089ab9859563fc5337d1f500da520ff28b63818b37c0a"},"roles":{"opened":"1-4","closed":"","digest":"8afeb7d29b17856d7ccf6545e99707b5df4eee217faa934d623d5f49e65db7ba"},"settings":{"opened":"1-5","closed":"","digest":"ebc4fbeca045b07898e07e8a3a023d1db3b055bc0a68639406fef4286b0e38c7"},"systems":{"opened":"1-2","closed":"","digest":"eff2fe1527fbdb91d4f2b11e3c7c236b3d3d07fcdd62771870863fa21b3a9fea"}}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x5c03c46486ae0ad87c506dc7fb8d9dcf257feb7b3e32537747b3cfba059c6d6e');
INSERT INTO public.ledger VALUES (2, '2026-06-01T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'gather', '["source:hr"]', '', '{"source":"hr","digest":"68e5b7c754bba3a3594adf3ea14cafb68d9a17dd3aa39167116e3b2357765e6d","counts":{"identities":[0,1,0,0,0]},"columns":{"identities":["department","id","name"]}}', '{"claims":{"opened":"1-2","closed":"","digest":"8c17350437a0288a8b5b52d3f41bc8f04b132e91f03b85e56658f522b6b096f8"},"identities":{"opened":"8","closed":"2","digest":"3a6622499292d1d0b90d3e2a62386a232a9a4d42853723a276956b39b06cdd01"}}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\xc1e0fa3593708bc3acad421c47e23e55a5882ab7892aa652bf91368051908b4c');
INSERT INTO public.ledger VALUES (3, '2026-06-01T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'baseline mark', '["baseline:first"]', 'the first state', '{"baseline":"first","entry":2}', '{"baselines":{"opened":"1","closed":"","digest":"28b5eaaffce1080b8a5bb8e5e277a5c1b98f5fe933b44616a48ec039a6bf7adc"}}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x726a751cc70e69e42c1b0f23dae5f01fa31c54b59317188157fd90bf5c2f2a92');
INSERT INTO public.ledger VALUES (4, '2026-06-01T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'tie', '["account:dues/bo1","identity:bo"]', 'asked him', '{}', '{"accounts":{"opened":"6","closed":"2","digest":"4055b07efda08e6301f4b7b40eb6b0883c220eef8887ecf0d33ce53e17d14bd3"},"ties":{"opened":"1","closed":"","digest":"7081fbd5c86291ac36cf670644f13bd529b130d1fd670424f9eacad5ac6572fe"}}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x8d7ba70351dcbb47fd816dd75e9b3a877fde3f40fff22790af9f1ce763ccd16f');
INSERT INTO public.ledger VALUES (5, '2026-06-01T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'tie', '["account:dues/shared","identity:head"]', '', '{}', '{"ties":{"opened":"2","closed":"","digest":"061f768a6d85210f2c3470dda0d04326e29455501548dbeac56548794009e4da"}}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x0a897cff13423f7f7f967f25526b8cb771293357846dad1164b692f14d00adb0');
INSERT INTO public.ledger VALUES (6, '2026-06-01T09:00:00Z', 'head', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'control add', '["control:C-2","identity:head"]', '', '{"control":"C-2","period":"P30D"}', '{"controls":{"opened":"1","closed":"","digest":"aa74d78150082131755fc3d9f0669e0a00ef5e41c8f2241feb732afe9ab980c3"}}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x7b392a6bd169eea6106085c1c69dc50a85bb86ec984f46f84de4b2d14d9166a4');
INSERT INTO public.ledger VALUES (7, '2026-06-01T09:00:00Z', 'head', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'control confirm', '["control:C-1"]', 'nothing found', '{"control":"C-1"}', '{"confirmations":{"opened":"1","closed":"","digest":"a5b04aa62807c32dc736254fec9e81a2cfc6cfa66b6ed7bc57908026537335ad"}}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x9ca89c38e0f970dd0be9f45dce66280d6673cc45179d33a0c6ff7c6d607b09b4');
INSERT INTO public.ledger VALUES (8, '2026-06-01T09:00:00Z', 'head', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'cover', '["control:C-1","identity:ann","rule:D-1"]', 'no second clerk', '{"conflict":"D-1/ann","control":"C-1","until":"2026-12-31"}', '{"covers":{"opened":"1","closed":"","digest":"e7f47b2e19f89c9603e21ef80e7c67e984777c02e98716ef893a72c23e422d43"}}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x2b36ad63e6e47266ccc7f8173112326483f6e914cdbde0d73874e181f3b003f2');
INSERT INTO public.ledger VALUES (9, '2026-06-01T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'change apply', '["change:kit-quay-summer","kit:quay-summer","role:dues/reader"]', 'the season', '{"change":"kit-quay-summer","edits":3,"effect":"fe6a23f86de9f4d94b0a59a9773465966255aa852fea4fa981303ce49166462b","edited":3}', '{"change_edits":{"opened":"1-3","closed":"","digest":"c0cc2818c3ae05c139420c20a19d41705b414b1edc73958aaf5377ac3abd3df6"},"changes":{"opened":"1","closed":"","digest":"a8688e3f3855e0a14c2b75e8856f8e304bbc412aae80d1223078d3ccac5754c7"},"kit_entries":{"opened":"1-2","closed":"","digest":"580b479c10a0f57294aee054ef7bd16098c2d070dffdd83631723d3c02361bf5"},"kits":{"opened":"1","closed":"","digest":"5dc35ff52aaa19ef87845ec4935294096bafaee4f25406be7fdb5cddef03df41"}}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x3380f8bba55a198ef323e7d5f2e6eed4bb6564491e9397d0b7fb3f7e64eb1713');
INSERT INTO public.ledger VALUES (10, '2026-06-02T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'review open', '["review:spring"]', '', '{"review":"spring","lines":5,"due":"2026-06-30"}', '{"review_lines":{"opened":"1-5","closed":"","digest":"9c5c7aa7a96bc096f9d55268b787859060e2a5579a1dae1f070ca03c978acd3f"},"review_things":{"opened":"1-4","closed":"","digest":"d595ac33d0081ba462d1a15efe53a0d68a3d9c4ab617f4e365e898a4e2f9b46d"},"reviews":{"opened":"1","closed":"","digest":"ffb599b9b8cb88346fa2998dd6293f14f8641b4f420678d748c010e7bff38335"}}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x58fc7d0953d787a3bd97a23e71ed823e64fe747cf1a5a0dfcfba6c3695729102');
INSERT INTO public.ledger VALUES (11, '2026-06-02T09:00:00Z', 'head', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'review remark', '["identity:bo","review:spring"]', '', '{"review":"spring","sort":"question","whom":"ann","lines":"1"}', '{"review_remarks":{"opened":"1","closed":"","digest":"cafdab54bc35bd3815e8dedbd8a9e083b24b1df6c6af16a1a1e1b9cfebf41ba6"}}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x7c21d0f2679330e3a789eee8c69db5dea9c6e2a169765076629a716915cfabc0');
INSERT INTO public.ledger VALUES (12, '2026-06-02T09:00:00Z', 'ann', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'review remark', '["identity:bo","review:spring"]', '', '{"review":"spring","sort":"answer","whom":"","lines":"1"}', '{"review_remarks":{"opened":"2","closed":"","digest":"4b599ecd0a5ec753e2ad1f554d7b172ea649afbe9667f4598b7320d1b6c2d4ef"}}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x34b2891cff6b46cd78b27fdae8167a72d0fbbc08e1649ec80c717d8f33754bb9');
INSERT INTO public.ledger VALUES (13, '2026-06-02T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'review packets', '["review:spring"]', '', '{"review":"spring","reviewers":1,"lines":5,"seals":"ac26708c3a362c750caaefecdfe22dccc12f3e1d4444fe22f84f118be21a904d"}', '{}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\xf74d07f3e8e958db351be7e2c8a519a236b45e8805331299acd43546f23be691');
INSERT INTO public.ledger VALUES (14, '2026-06-15T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'review take', '["identity:ann","review:spring"]', '', '{"review":"spring","files":[["c1fa205bea99b2afd46850413607c6bcd076924d22871422d218ee8527e6c34d","head",1]]}', '{"decisions":{"opened":"1","closed":"","digest":"50af4a5d8466e27f1693c08b40ce0cbc39290c719df943f0a69a3e78cf08abb8"}}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x033776aa319af391c39ec79502084ba7458ff07907e2629c828cc771322dd795');
INSERT INTO public.ledger VALUES (15, '2026-06-15T09:00:00Z', 'head', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'review decide', '["identity:ann","identity:bo","identity:gone","identity:twice","review:spring"]', 'seen', '{"review":"spring","decision":"certify","lines":"1-4"}', '{"decisions":{"opened":"2-5","closed":"","digest":"3842e3ef07f61fcf212bb2e1e3e1dfa4a39d502f0a54941331c093967c4942b3"}}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\xad7995e68185b62bca45f1776bb34c4826b0ebef7957a7fdafb97dfce9cd3881');
INSERT INTO public.ledger VALUES (16, '2026-06-15T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'review close', '["change:review-spring","grant:g2","identity:ann","review:spring","role:dues/waiver"]', 'spring review', '{"review":"spring","certified":"1-4","revoked":"5","left_open":"","ended":["grant:g2"]}', '{"change_edits":{"opened":"4","closed":"","digest":"002d5c29da7ad7befba822ab832b8064d4c82133bf19fab9aaa88801555646f1"},"changes":{"opened":"2","closed":"","digest":"8f755bc6bed1d66d7730a6955f8ff9df41e0d9b174c62816ceab0287c9e8678a"},"decisions":{"opened":"6-10","closed":"1-5","digest":"95449cbeec76fdb11072994f4f4eae92a8f9a2e9f385cadd1cfe9166ec8b3e04"},"orders":{"opened":"1","closed":"","digest":"0b35d5f035144bbcd64d1e87e0b8881c2d114ab36e224a58b517675c329816ad"},"reviews":{"opened":"2","closed":"1","digest":"d26b4df9ce85cb14845a5e5faf5f591568cce7987d348450f2be5b8307ada430"}}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x6eb65041952a7f9c49664863b63aab7511ca9d8994da007d9988ca4d050c7cae');
INSERT INTO public.ledger VALUES (17, '2026-06-15T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'orders', '["order:1"]', '', '{"state":"handed over","orders":[1]}', '{"orders":{"opened":"2","closed":"1","digest":"efdf659a41c117150755f2fa30647eb14062008a7174ee526db888ae7b5161ff"}}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x032153b0b0e38b3f628bd77863a1bf3057e37aabba94670e659f77c992db098c');
INSERT INTO public.ledger VALUES (18, '2026-06-15T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'gather', '["order:1","source:files"]', '', '{"source":"files","digest":"9ace9b6fc01c2ffe4e868ab81c42bcb0b3fc1469224d18a4d0a54f0c6e54268f","counts":{"systems":[0,0,0,2,0],"identities":[0,0,0,7,0],"accounts":[0,0,0,5,0],"groups":[0,0,0,2,0],"members":[0,0,0,2,0],"roles":[0,0,0,4,0],"role_juniors":[0,0,0,1,0],"actions":[0,0,0,3,0],"role_permissions":[0,0,0,4,0],"resources":[0,0,0,4,0],"areas":[0,0,0,1,0],"grants":[0,0,1,7,1],"mandates":[0,0,0,1,1],"activity":[0,0,0,3,0]},"columns":{"systems":["owner","system","title"],"identities":["department","email","id","manager","name","site","status","title"],"accounts":["identity","last_login","login","status","system"],"groups":["filter","group","system","title"],"members":["group","member","system"],"roles":["active","role","system","title"],"role_juniors":["junior","role","system"],"actions":["action","implies","kind","system"],"role_permissions":["action","effect","resource","role","system"],"resources":["detached","refers","resource","sensitivity","site","tags","type"],"areas":["area","except","filter","resources"],"grants":["effect","from","given_at","given_by","gives","grant","holder","last_used","on","reason","tier","until"],"mandates":["area","for","holder","may","roles"],"activity":["account","action","count","record","resource","task","time"]}}', '{"changes":{"opened":"3","closed":"2","digest":"eefd948bff84a8cecb20dd50c5c4a888c762c2b362eeb334117fc3ad1a42060d"},"grants":{"opened":"","closed":"2","digest":"e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855"},"orders":{"opened":"3","closed":"2","digest":"e1fcc707dbb6fd1270b980269c8767d754aa0183858e6497cb5942f56c8bb166"},"problems":{"opened":"4","closed":"2","digest":"b26629e36ab5be08c964881f420966eaec91cdfc7d3f565aa3144428bbf77fa1"}}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x34d5c228a563b9d079536df5df06efd9ee7eddb8d83e4393dfdb4d0d566ba4d5');
INSERT INTO public.ledger VALUES (19, '2026-06-15T09:00:00Z', 'head', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'change apply', '["change:change-1","grant:g-yja4jzrqg3dd","identity:cy","role:dues/waiver"]', 'stands in', '{"change":"change-1","edits":1,"effect":"8f6829a2db4ddadd2eafb0db19ba8795666af2bc6e9b9fa35445b2c12f411f80","gained":6,"ordered":1}', '{"change_edits":{"opened":"5","closed":"","digest":"d30461df28579aab96cc19c514516089874a2d2dbe3e633b497e996709fe0f94"},"changes":{"opened":"4","closed":"","digest":"79995e988f5754ce212162d3980f0163129a49e5367165a02e947c8c2727cc6f"},"orders":{"opened":"4","closed":"","digest":"15ecaf0825009f4cc6b712f6e44475584f8f934a9521d96b360ad7a6da14beb3"}}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x429a4be39c21691ee4f24d9f38c6475d0bc76b3dd0776f54554c2bb3eca5fd95');
INSERT INTO public.ledger VALUES (20, '2026-06-15T09:00:00Z', 'head', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'change compose', '["change:idea","grant:g-unyqhvz72gh5","identity:bo","role:dues/setter"]', '', '{"change":"idea","edits":1}', '{"change_edits":{"opened":"6","closed":"","digest":"a1dfb91c58b5d7884849f3d14cd88ee4689b7905e48bd91596fd30c2ae854bea"},"changes":{"opened":"5","closed":"","digest":"05f41ba5d215657277f4b429bc31227ff028c77de96f18a804a4ba07adbdabda"}}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x01767090b1a34fec53d3468c86efb5dbe86d8b1e49dfb6c0f3b99a129ab5c12f');
INSERT INTO public.ledger VALUES (21, '2026-06-15T09:00:00Z', 'head', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'change apply', '["change:change-2","role:dues/all"]', '', '{"change":"change-2","edits":7,"effect":"0c9418557169c223f7eb8fe037b3dbea6814a54384c46ca03531cb17bf13eaa0","ordered":5,"edited":2}', '{"change_edits":{"opened":"7-13","closed":"","digest":"c3985f29d720f81cf524502f27872e084a680044b7740c987531be1fb11d14bc"},"changes":{"opened":"6","closed":"","digest":"be16f5501bc105ff7233fe74f0bcc0384cd1921cb0b06b3ce60a418650272681"},"orders":{"opened":"5-9","closed":"","digest":"724bd3da7abe2d63b2309a79058c296891fbec778f4d929284f7415aa9089355"},"role_parts":{"opened":"1-2","closed":"","digest":"c79fbc903065b17f8ac42d71d5d431bd43fa804dcb0b8509a5624767033b2d3a"}}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x938163425632e82eba85d1c90ddc73acb64b9de90621fcdf85fbc4ba5ff57d0e');
INSERT INTO public.ledger VALUES (22, '2026-06-15T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'merge', '["identity:bo","identity:twice"]', 'one person', '{"identity":"twice","into":"bo","moved":{"grants":1}}', '{"grants":{"opened":"9","closed":"8","digest":"0a234f1a48faaf54ab5cecdc0bc5a92ddc2cd20572f62c5dcfbff5673edbcead"},"identities":{"opened":"","closed":"5","digest":"e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855"},"merges":{"opened":"1","closed":"","digest":"7a199717b6391866389b7013481d169829d80942db07a74a6411d031b8f96942"}}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x210e1d84c26eb43967b9293bd3b34cf9ad0e2df7ba79b73acd7d3efacb27364e');
INSERT INTO public.ledger VALUES (23, '2026-06-15T09:00:00Z', 'ann', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'request ask', '["identity:ann","kit:quay-summer","request:1"]', 'rota', '{"requests":"1","decision":"ask","whom":"ann"}', '{"request_steps":{"opened":"1","closed":"","digest":"08c06f50e7ece541cc71366dbaa5bc0755c24f5785933d8cbb13b64cf1a21842"},"requests":{"opened":"1","closed":"","digest":"6c269aa1852cbeb8620d3aeb5ea2d4a5d628f6bd36c372284b6a6736416b1eae"}}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\xfa9aa825592cf2abeff6020ad41cce9bfb07a1fb4b8fc5325eaae1f45eba4eb6');
INSERT INTO public.ledger VALUES (24, '2026-06-15T09:00:00Z', 'head', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'request remark', '["identity:ann","kit:quay-summer","request:1"]', '', '{"requests":"1","decision":"question","whom":"ann"}', '{"request_remarks":{"opened":"1","closed":"","digest":"0c0258119e216158760f52a09734ab13792db8e69fc9d04e667820fdf47bdaa1"}}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\xeebe32a515b4a8a20f7f9a3a23a89fced0ff06a17c8a74c940ba15d6db96bf78');
INSERT INTO public.ledger VALUES (25, '2026-06-15T09:00:00Z', 'ann', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'request remark', '["identity:ann","kit:quay-summer","request:1"]', '', '{"requests":"1","decision":"answer","whom":"ann"}', '{"request_remarks":{"opened":"2","closed":"","digest":"0a2eddd8f936c7f4fd41ee73236e630181e2447ec0066e2fb4fcb29fab82ec4d"}}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x422335d1fbfc5799827ac5c3bea9a0bb89683b5a5ef242ebbb0a6321a737dda4');
INSERT INTO public.ledger VALUES (26, '2026-06-15T09:00:00Z', 'head', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'request decide', '["identity:ann","kit:quay-summer","request:1"]', 'for the summer', '{"requests":"1","decision":"grant","whom":"ann","step":1,"effect":"4d3e1e6f25fbb18bd1764b4148d8fec5345a5506ad1bb867d438b8c7a860edeb","change":"request-1","ordered":2}', '{"change_edits":{"opened":"14-15","closed":"","digest":"8a826d9c73f8941d919df7618c35d0018db2ad07ec5d44cb809c9af3651c5f55"},"changes":{"opened":"7","closed":"","digest":"3ffe72152d7e5ee0b7ff0533d1d5aabf3a0a2b51a7f95aff1b3b7177927358b5"},"orders":{"opened":"10-11","closed":"","digest":"3e1f82f1fc890a7ba37a7d4ec9fc18231e7d254d859eab379c395883fa54e6a3"},"request_items":{"opened":"1-2","closed":"","digest":"77ad8aab19dc14d090b9c5aad0425195b3b99416a8f3305e6794c77fe8871753"},"request_steps":{"opened":"2","closed":"1","digest":"d3873f05220dd40615ee2595216e1345ad601b6af337129fede7a14071604153"},"requests":{"opened":"2","closed":"1","digest":"e84ef124cd5fb9ae1a056011687ed8f9af5c51ae1c6ea717a6556b003db8d32b"}}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\xd3a9ff270150430c1b5c6dec453e75c0a38042e20146832eb7d57edbb0a9a7b4');
INSERT INTO public.ledger VALUES (27, '2026-06-15T09:00:00Z', 'cy', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'request ask', '["identity:cy","request:2"]', 'curious', '{"requests":"2","decision":"ask","whom":"cy"}', '{"request_steps":{"opened":"3","closed":"","digest":"f6f1d7a320e2d6e1206f0d143a1f1b3f59c7f830aca6ed3f114a137db6bbc8eb"},"requests":{"opened":"3","closed":"","digest":"2accc980564f71cd4b9d1c009f99fc31118c5207378e113d67985601634935c9"}}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\xddf7e1b6340061838e6081723d3739a9ad887541e49843d16a599956afae278a');
INSERT INTO public.ledger VALUES (28, '2026-06-15T09:00:00Z', 'head', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'request decide', '["identity:cy","request:2"]', 'not needed', '{"requests":"2","decision":"deny","whom":"cy","step":1}', '{"request_steps":{"opened":"4","closed":"3","digest":"5f3d7ae50ef4df6e9f4e4a20e86a87db4e69136eed3b559f22d4d942402cccd3"},"requests":{"opened":"4","closed":"3","digest":"440a35524be5da9e936b13919ab5f6d1a104a2194b41488a518a97dfe8a0cb93"}}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x29f51386ad57102fd977e84c3c7ecee971c6a0b7501b1c696b7b8590588d3db2');
INSERT INTO public.ledger VALUES (29, '2026-06-15T09:00:00Z', 'cy', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'request ask', '["identity:cy","request:3"]', 'stands in', '{"requests":"3","decision":"ask","whom":"cy"}', '{"request_steps":{"opened":"5","closed":"","digest":"7e92f998a7008192a69c5328db25d88b0be00eac8be0c70a9f8b53bc350c35e9"},"requests":{"opened":"5","closed":"","digest":"a9a2cb82627bd4f9ab386a11fe9cc563fa3e7e1f208bec11aeda336ca9eabbb4"}}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\xb99f4a82a82085a579e30382ec4ec7349887db3220ecd385abfa835fe240d940');
INSERT INTO public.ledger VALUES (30, '2026-06-20T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'gather', '["source:files"]', '', '{"source":"files","digest":"96301dc1aab6e75bbcae53951ee1564157b940e05119aeee4a9fd6acb4188989","counts":{"systems":[0,0,0,2,0],"identities":[0,0,0,6,0],"accounts":[0,0,0,5,0],"groups":[0,0,0,2,0],"members":[0,0,0,2,0],"roles":[0,0,0,4,0],"role_juniors":[0,0,0,1,0],"actions":[0,0,0,3,0],"role_permissions":[0,0,0,4,0],"resources":[0,0,0,4,0],"areas":[0,0,0,1,0],"grants":[1,0,0,7,1],"mandates":[0,0,0,1,1],"activity":[0,0,0,3,0]},"columns":{"systems":["owner","system","title"],"identities":["department","email","id","manager","name","site","status","title"],"accounts":["identity","last_login","login","status","system"],"groups":["filter","group","system","title"],"members":["group","member","system"],"roles":["active","role","system","title"],"role_juniors":["junior","role","system"],"actions":["action","implies","kind","system"],"role_permissions":["action","effect","resource","role","system"],"resources":["detached","refers","resource","sensitivity","site","tags","type"],"areas":["area","except","filter","resources"],"grants":["effect","from","given_at","given_by","gives","grant","holder","last_used","on","reason","tier","until"],"mandates":["area","for","holder","may","roles"],"activity":["account","action","count","record","resource","task","time"]}}', '{"grants":{"opened":"10","closed":"","digest":"82f671a2e434a95c5720886639562659198468aef3747dbcfccb3b0d80da9129"},"problems":{"opened":"5","closed":"4","digest":"d58e841cef5f76aad51708a4c94c6ee38a4e640ee4d96b26cf995154671a70f9"},"returned":{"opened":"1","closed":"","digest":"c05da586eb12d8c1543395192b5499396a646e0764a9d0019856c15b63c08de9"}}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\xc1b0978bca3266469b4e22c70bab7edf4366c63ff92b2c3b51f476c87a12235f');
INSERT INTO public.ledger VALUES (31, '2026-06-20T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'review open', '["review:summer"]', '', '{"review":"summer","lines":5,"due":"2026-07-31"}', '{"review_lines":{"opened":"6-10","closed":"","digest":"588bb406a6a7ece4928b86ac176642d6186e3df27281a675d632736d19a8e85c"},"review_things":{"opened":"5-8","closed":"","digest":"509c5fbd1ef4fbc76bd702913c9c49e4da3d3c57ae723bc8cfa334ea0126c81f"},"reviews":{"opened":"3","closed":"","digest":"3febf1b6fb6e1d8c6c80aba4c9c5797879a80a92e67f02104a7d1a906b04cde1"}}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x3493fe6f05b5011798ca9ae3489319c0b63ed9acdb10b2e5f35a3880f73da1ed');
INSERT INTO public.ledger VALUES (32, '2026-06-20T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'review packets', '["review:summer"]', '', '{"review":"summer","reviewers":1,"lines":5,"seals":"fff0f6f04465585168f89e1d56319fdb41ce766ef5d932895decbad35e4cf31b"}', '{}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\xf6d7edc3eba90d1417522ca5605df760c13595ca956798f0adf93942474fabc6');
INSERT INTO public.ledger VALUES (33, '2026-06-20T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'request packets', '[]', '', '{"approvers":1,"requests":1,"seals":"8ce6e55b5166e6b057c1c493b26d7b636aa2cd59caba16f279e8caf122aeace8"}', '{}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\xe9feeb0e98063b0c5cd04e6cea76adf92cd9a06498f1fcb4229e01d11c065a1c');
INSERT INTO public.ledger VALUES (34, '2026-06-20T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.3.0","store":"3","clock":"KATHODOS_NOW"}', 'baseline mark', '["baseline:last"]', '', '{"baseline":"last","entry":33}', '{"baselines":{"opened":"2","closed":"","digest":"118517387ad5353132672ceae083ad7b06e21cdd85cbf323575a7187ffbbda60"}}', '{"configuration":"0310c2505bdea29e007913e15dfc1d4ed079c1e76f71c7b81c6c45546fcb38a9","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x60cd3066ed6fd20503c4cc15c0762f9c52a8bbc01596f0c97ee07ebbfbd492a4');


--
-- Data for Name: ledger_heads; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.ledger_heads VALUES (1, '2026-06-01T09:00:00Z', '\x5c03c46486ae0ad87c506dc7fb8d9dcf257feb7b3e32537747b3cfba059c6d6e', '\x7228423262e41bb7caedc0040d0ab2bb271228cc90d8882557e6e09172b2d729123b0aab27dda9387055c7ba0e7f9cd93fe44476176ae1d3ec1c53384deb0403');
INSERT INTO public.ledger_heads VALUES (2, '2026-06-01T09:00:00Z', '\xd99ef2249d5b8b093c513906d19d2cac7e138f39f68be965910048ec9d893f5e', '\xbbad2f9de4fe5f3619af6fb029c3e7c419a85df0384d93ca6bfe9c39f6e7d25819acf51599702348d5608041f3ddcbf6030267473b4e2176fd40fee6fe5f4808');
INSERT INTO public.ledger_heads VALUES (3, '2026-06-01T09:00:00Z', '\x627c27543c0de45c76dcc450f0fa274f719827235d5a26985f4f375c39d4d9fd', '\x85d2a49e66fcd53c54cbce4152c573836312f0161d912d11ef1080d6513ea562438c7ec673af7d236b8dc5053a0785a4f067783b07634490a0fd18624ff23908');
INSERT INTO public.ledger_heads VALUES (4, '2026-06-01T09:00:00Z', '\xda05a3e98cff3b1b6d49728668a07237a2050a9ee790ca262208c73d29673757', '\x7e2162f786eee23e1a5bd75abe72286b36c66e13d11682a053bbbfac01bc19e23382e13da3b10354203cca5986f0b87295547082d6228c495660a51e4a81af02');
INSERT INTO public.ledger_heads VALUES (5, '2026-06-01T09:00:00Z', '\x76ed0d89d601ccd9d0a8de8de356b51e0ce309d9e48e17da5cae673547b409dd', '\xf6f7f734421ee9bca86c875669f7633b7a04191566a49ca4325655232e92c57991649cf111b2dfb700f06dde1872400034e87268998e7afddb519d16a57aa10c');
INSERT INTO public.ledger_heads VALUES (6, '2026-06-01T09:00:00Z', '\xef4076dbc0a9c9aa38bf2ad775fdbb002d515554f693894fdcefa76744c87a7e', '\x89f892feefe4272850328213de5f2b19982c951bf6ec3af8f98451a5d68116d90af19b1cf04d33cfca9a47f7eb7ec393ec711f16030648b4dca23d43f939c204');
INSERT INTO public.ledger_heads VALUES (7, '2026-06-01T09:00:00Z', '\x88cb88369b4a0965f7712c52aac98559d235cd7904c5d22fa827dd16a6dc1326', '\x9e69dbd4a7eddbaa7ec640308a373a70e6334370694cc5526555d3092d2fbb4b09875748f9c83ec3eecd9a352cfadb1760548e372088921eccfcbcf33eb83008');
INSERT INTO public.ledger_heads VALUES (8, '2026-06-01T09:00:00Z', '\x5fdc01200e800b59e4dc7ce143dd53879b918ae52693ea325c1503dbd44df004', '\x8cb4dab1b3dc682adfed01289797c4a7ccbfe3b96eb4d2f1829798abd5ba75350fbac4b5a50e046e3d9b93741a4cef16b744d9bb356e50a2654fc73f9ea59b0c');
INSERT INTO public.ledger_heads VALUES (9, '2026-06-01T09:00:00Z', '\xe88f25035b0908208e894130e7b12f9ff5f7213beac14a9d583503b90f6e0fe4', '\x2e967d48b6f9e539a176048825fd7d6ec69c0039c0a46199762ac757ac165119d466198e344d6aa84b73c74884c79a6d25cb64612750f06ef41f07d9e3e34a00');
INSERT INTO public.ledger_heads VALUES (10, '2026-06-02T09:00:00Z', '\x45b7b8eaf1dc733047f9db1254108d711cbdbed11ff6b2fff19d5dd0b05ce2e0', '\x247b53834b9f7a5b722743a237c438d305ac211a651fe116e5e335d9bc9d14ab6de966bbb0aada814f58c48a77a4dc866f771f6bc415ec5f4039570ca3989101');
INSERT INTO public.ledger_heads VALUES (11, '2026-06-02T09:00:00Z', '\x2d1b12301fa1ae67de79c157d8b7ecb9d157eb2ebaa8649dd47bc230baa5f872', '\xd74afe3c15cdb2c4842fd42ac4f3095d55894a1743deb13b6065f9cbad1c62a8b776527c1d9ed122a25ad911649cae065c82591d0ad1c4e2c68485d82ef32e08');
INSERT INTO public.ledger_heads VALUES (12, '2026-06-02T09:00:00Z', '\xac637a5fb8943cdc486fe403abd549c75f01c3a14e9eb08f452b7c486619028f', '\x8c0bb7ca975f545a05c8b57f65314cbf6a3685091e65c1b8d119c150e24d630b0a2aa0dffc3ad4f5d11ac80bbc8180d405cd88740430601a6a2374fa60f7590c');
INSERT INTO public.ledger_heads VALUES (13, '2026-06-02T09:00:00Z', '\x69798a0e45d66bf4ff97eaa332144334fabe75fa752e2ece7636e2f6f00db1db', '\xeba5057a9f6616431f24a796d8937feafc68ba14b21aae10faeacd30024d519a505264e77c22b58d5e9226ca96b12cd5ee602fff680de3c96377622019320305');
INSERT INTO public.ledger_heads VALUES (14, '2026-06-15T09:00:00Z', '\xbf934f88b9ed0a88e6f5c260d258f494c4f96014cda06253039e43e26be42f3e', '\x892edd9b2e822c9425aac2e23793f18458652a21cf8cb3788ea4762c341d68e8110e9a54bd02b0aa8c2015b94aa263c9ef9d49a9348bfd666deac34dcf66da04');
INSERT INTO public.ledger_heads VALUES (15, '2026-06-15T09:00:00Z', '\x1a9e938302c3af798406550052ded1aad5b15b40653c485082607cc7cac663c2', '\xd6b73f592b4394e7777dec69dd6bbf687f0ffd7724f7425bf27b7ab9faec5bb74ada9b317bf8496d1ca3c9c735d6f751544412115dfad46f3dadca61811d760f');
INSERT INTO public.ledger_heads VALUES (16, '2026-06-15T09:00:00Z', '\x0953d3b895702744896a85626c8a0bd1850517d0b843428f5527eda9fd4a2dc1', '\x0396a815d1cda5a789150eeb51f185d8846796cdc3626efcc12857aa581be7dd9ee2e955f39988c356b0add898e2bb3257e17b5e6d8920fae1d44c527f5de601');
INSERT INTO public.ledger_heads VALUES (17, '2026-06-15T09:00:00Z', '\x1d26b70e04f756a160e6fa1824e0dc8374e60b3450be366ce62f9ccf53651a0e', '\x6c15e2a4bba3c64ac42c8a50741fae0d71cad699eb00783208c11637926db0abcff81e03523200d4a7fefd0318e2337dabd0ad37e13b770563e68a3777380a02');
INSERT INTO public.ledger_heads VALUES (18, '2026-06-15T09:00:00Z', '\x064d1cbd541b9cc536aa80f4856636f10a7b0fe90a90d53f0f0e12fb0d0120ea', '\xfaf1e8f35dd37c7fa049a2beb4c1193d1fb8c66321b04ba8319c36037f922db8430c5a93e0100a736bc0d79394302d7188e17c2c809324d497fd145816459606');
INSERT INTO public.ledger_heads VALUES (19, '2026-06-15T09:00:00Z', '\xaae95af7bc64cc3e2c386a2fb59247898298df9889aeae2c33231b30fa968c48', '\x012a62e93e904f646feedb2742c39e1d975b94ff5b9f134b8d7071ca258e94b75ba5e121a2d62c23bd0ee2c8cd6385c4a9d5fe57e5ca94219c00bcd761937d0d');
INSERT INTO public.ledger_heads VALUES (20, '2026-06-15T09:00:00Z', '\xefe13031f21743d6d59b919fa44affa9a9a30e8fc574d8ecfb28815c5137ff7b', '\x2535fdd42b9227f64949b57e1af2783a7dd66797704d5ae51cac2344be41fd33c118261df784c5d6e3dd952ee2944b62ee6ca7c9c27c867aa383ec184c2c230a');
INSERT INTO public.ledger_heads VALUES (21, '2026-06-15T09:00:00Z', '\x91da8db393cb9aeae837ea1c0e0f7312bf1e6b853901cad6717bce6e472d90fc', '\x4e4a5fb2a4975db1293dedc2f56107383c2cc3a11e9bbbfb39e9d9fbb987d879726a45be9e32831617eda47f3f2c83eb84f190cba39e66cd1c4f837246e6a807');
INSERT INTO public.ledger_heads VALUES (22, '2026-06-15T09:00:00Z', '\x18f2903d0ed8d441af2a87dd21404ce5f8c203d965b8940eedc47ebaf18d2f09', '\x858c4b7414672d364f0d4d2e4880b854966547c3e3bd1930ae663e70460efc72810865665f4355d50035ead419e0eec8812af64de5bc92a1c9c9d42cc68e7e06');
INSERT INTO public.ledger_heads VALUES (23, '2026-06-15T09:00:00Z', '\xbeef746bd5bfa3b14252de3ec853a1a320009699afd766ff033bd295b2ef4781', '\x170b9aa0df67d6c88b112ff8437bac481b59fef45f406f12e637a9c798e765a04e3a9896cebe8de306210790eabc78565da899041d749318b5dc98372678340d');
INSERT INTO public.ledger_heads VALUES (24, '2026-06-15T09:00:00Z', '\x935ff421903da6194a2f0ccae59bfbd41aea7fd24fd4551bd7dd00049a628fed', '\x83d9d473918d6b5043a12f3017c9bf5192cf956ec204bb56d4210038ed6a6e7b3247a61fa7a05b75edf55f0b4c33c3918c98901e9b7e29fb524d649b1f8b3907');
INSERT INTO public.ledger_heads VALUES (25, '2026-06-15T09:00:00Z', '\x42a70ceb4ed5b16f6edd0ee8699cca490666ff40e4c9c80655c80d975e95db10', '\x14c108af3b8505c8a7e32ccc036e4b7981dcb2d1e862f3bf68d73cb7a0589884253c05bd4ef6a3e0b193d9604539f072e0ef02009b377f550d660f776d690d06');
INSERT INTO public.ledger_heads VALUES (26, '2026-06-15T09:00:00Z', '\x749ca3661de737199e384914718e1d06c0a4ff846d114b4900edb2ea63af3305', '\x6b2723c33a96886fd984fb722438f958e0bdd4ca2d7c899a5728e074e0c4b265b43424c2cca47d865c8eed02eaa5454a52d29d787c2b34d2561f833bde962e0d');
INSERT INTO public.ledger_heads VALUES (27, '2026-06-15T09:00:00Z', '\xfe7c202c6c10c6e061aa01e97740de75e5fb808cd4b810d7f76776e11e4a5506', '\x19fbfebd5824f18eaede51252329ce2154b553aeb524438c515a54c6a7d286adf842fe00b88d41f878105df3a347c8a20743c7860195aa3fa696591a78d3760e');
INSERT INTO public.ledger_heads VALUES (28, '2026-06-15T09:00:00Z', '\xa116d83951af89996504cc278768f68cfed27f1f8f8ed519c880dd8f8861b344', '\x9362849acf0232ed330da4f01a3e011300ffcb45a0ad8328708b2634ef50e846037d8390a5c0950aecbcbf7969b1259c0c0a7f49904bf45cbda98ddcfff6cf09');
INSERT INTO public.ledger_heads VALUES (29, '2026-06-15T09:00:00Z', '\xb48388f51d9fc533769426f3785ba8ef73013499d89bcb38c748bbca5d3a84ee', '\x790dd0c08784232fff6db7ac93cf3d41739336367f93c5604c38b1f3711b0340014ddcaa43877f9d60537e30591f06356ea73877faa6d75d7f16fdddb305b704');
INSERT INTO public.ledger_heads VALUES (30, '2026-06-20T09:00:00Z', '\x56d86ba1c0636eed0b298f746fde886301e5bfc64793202ce0151b9322cd70cb', '\x05c5c15d42fd5029eb21b39a2fc65bdb583efd255ab909306bb264d0912b851b8fca8b36587c5813d66f18435468146caeb3179662f47526e7cc2e7bf71c0008');
INSERT INTO public.ledger_heads VALUES (31, '2026-06-20T09:00:00Z', '\x5238844cbf47c4e246b37944334b8e07f0f900e9e971276bffbeff533d6560b1', '\x026e7dc87350296b90b45cccb19353462683e34f87e747461baf5b0cd1b21212eb039e6ffd810f9f1cdcf8e2ae0957b90cabc51a821f37fc409684d6b9255e0a');
INSERT INTO public.ledger_heads VALUES (32, '2026-06-20T09:00:00Z', '\x7d74619f75aa33cfb037697bfe6f4be5a21d9cb73b230d2e581b32b2b5438072', '\xa1a79e2b2b04099597923012e0cc07d8ba7beb0eb37567fe8801e014f7707876b4992ca2cbfb068a32effc83921975ab63aa46f80201065953424be82f3df30f');
INSERT INTO public.ledger_heads VALUES (33, '2026-06-20T09:00:00Z', '\x6aef52dc404df5992011fc55857049fc631892c3d1a4ecf43e8c58ff003d14e9', '\x45015cfd29eb273109fd95aac97e9dc1be96e5d38181492a8080babe2e26e8c7012bc1ddcd91ae034471980e819b77f01fb1da48b97e5d7bbfd32a6bc64ee10d');
INSERT INTO public.ledger_heads VALUES (34, '2026-06-20T09:00:00Z', '\xa2168cc7e038007c187789a45ecfc4aa131e6d86edf521df537dccd2ea495964', '\xf2e1ebc10132953404a87cc05d6e93b720436a7f3b7d383a5a10826202811d1c6eb10d30c151fdfba8e0c1768f2d49a687dc1dd2ddb42ac3997ee26e19d6a200');


--
-- Data for Name: ledger_tree; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.ledger_tree VALUES (0, 0, '\x5c03c46486ae0ad87c506dc7fb8d9dcf257feb7b3e32537747b3cfba059c6d6e');
INSERT INTO public.ledger_tree VALUES (0, 1, '\xc1e0fa3593708bc3acad421c47e23e55a5882ab7892aa652bf91368051908b4c');
INSERT INTO public.ledger_tree VALUES (0, 2, '\x726a751cc70e69e42c1b0f23dae5f01fa31c54b59317188157fd90bf5c2f2a92');
INSERT INTO public.ledger_tree VALUES (0, 3, '\x8d7ba70351dcbb47fd816dd75e9b3a877fde3f40fff22790af9f1ce763ccd16f');
INSERT INTO public.ledger_tree VALUES (0, 4, '\x0a897cff13423f7f7f967f25526b8cb771293357846dad1164b692f14d00adb0');
INSERT INTO public.ledger_tree VALUES (0, 5, '\x7b392a6bd169eea6106085c1c69dc50a85bb86ec984f46f84de4b2d14d9166a4');
INSERT INTO public.ledger_tree VALUES (0, 6, '\x9ca89c38e0f970dd0be9f45dce66280d6673cc45179d33a0c6ff7c6d607b09b4');
INSERT INTO public.ledger_tree VALUES (0, 7, '\x2b36ad63e6e47266ccc7f8173112326483f6e914cdbde0d73874e181f3b003f2');
INSERT INTO public.ledger_tree VALUES (0, 8, '\x3380f8bba55a198ef323e7d5f2e6eed4bb6564491e9397d0b7fb3f7e64eb1713');
INSERT INTO public.ledger_tree VALUES (0, 9, '\x58fc7d0953d787a3bd97a23e71ed823e64fe747cf1a5a0dfcfba6c3695729102');
INSERT INTO public.ledger_tree VALUES (0, 10, '\x7c21d0f2679330e3a789eee8c69db5dea9c6e2a169765076629a716915cfabc0');
INSERT INTO public.ledger_tree VALUES (0, 11, '\x34b2891cff6b46cd78b27fdae8167a72d0fbbc08e1649ec80c717d8f33754bb9');
INSERT INTO public.ledger_tree VALUES (0, 12, '\xf74d07f3e8e958db351be7e2c8a519a236b45e8805331299acd43546f23be691');
INSERT INTO public.ledger_tree VALUES (0, 13, '\x033776aa319af391c39ec79502084ba7458ff07907e2629c828cc771322dd795');
INSERT INTO public.ledger_tree VALUES (0, 14, '\xad7995e68185b62bca45f1776bb34c4826b0ebef7957a7fdafb97dfce9cd3881');
INSERT INTO public.ledger_tree VALUES (0, 15, '\x6eb65041952a7f9c49664863b63aab7511ca9d8994da007d9988ca4d050c7cae');
INSERT INTO public.ledger_tree VALUES (0, 16, '\x032153b0b0e38b3f628bd77863a1bf3057e37aabba94670e659f77c992db098c');
INSERT INTO public.ledger_tree VALUES (0, 17, '\x34d5c228a563b9d079536df5df06efd9ee7eddb8d83e4393dfdb4d0d566ba4d5');
INSERT INTO public.ledger_tree VALUES (0, 18, '\x429a4be39c21691ee4f24d9f38c6475d0bc76b3dd0776f54554c2bb3eca5fd95');
INSERT INTO public.ledger_tree VALUES (0, 19, '\x01767090b1a34fec53d3468c86efb5dbe86d8b1e49dfb6c0f3b99a129ab5c12f');
INSERT INTO public.ledger_tree VALUES (0, 20, '\x938163425632e82eba85d1c90ddc73acb64b9de90621fcdf85fbc4ba5ff57d0e');
INSERT INTO public.ledger_tree VALUES (0, 21, '\x210e1d84c26eb43967b9293bd3b34cf9ad0e2df7ba79b73acd7d3efacb27364e');
INSERT INTO public.ledger_tree VALUES (0, 22, '\xfa9aa825592cf2abeff6020ad41cce9bfb07a1fb4b8fc5325eaae1f45eba4eb6');
INSERT INTO public.ledger_tree VALUES (0, 23, '\xeebe32a515b4a8a20f7f9a3a23a89fced0ff06a17c8a74c940ba15d6db96bf78');
INSERT INTO public.ledger_tree VALUES (0, 24, '\x422335d1fbfc5799827ac5c3bea9a0bb89683b5a5ef242ebbb0a6321a737dda4');
INSERT INTO public.ledger_tree VALUES (0, 25, '\xd3a9ff270150430c1b5c6dec453e75c0a38042e20146832eb7d57edbb0a9a7b4');
INSERT INTO public.ledger_tree VALUES (0, 26, '\xddf7e1b6340061838e6081723d3739a9ad887541e49843d16a599956afae278a');
INSERT INTO public.ledger_tree VALUES (0, 27, '\x29f51386ad57102fd977e84c3c7ecee971c6a0b7501b1c696b7b8590588d3db2');
INSERT INTO public.ledger_tree VALUES (0, 28, '\xb99f4a82a82085a579e30382ec4ec7349887db3220ecd385abfa835fe240d940');
INSERT INTO public.ledger_tree VALUES (0, 29, '\xc1b0978bca3266469b4e22c70bab7edf4366c63ff92b2c3b51f476c87a12235f');
INSERT INTO public.ledger_tree VALUES (0, 30, '\x3493fe6f05b5011798ca9ae3489319c0b63ed9acdb10b2e5f35a3880f73da1ed');
INSERT INTO public.ledger_tree VALUES (0, 31, '\xf6d7edc3eba90d1417522ca5605df760c13595ca956798f0adf93942474fabc6');
INSERT INTO public.ledger_tree VALUES (0, 32, '\xe9feeb0e98063b0c5cd04e6cea76adf92cd9a06498f1fcb4229e01d11c065a1c');
INSERT INTO public.ledger_tree VALUES (0, 33, '\x60cd3066ed6fd20503c4cc15c0762f9c52a8bbc01596f0c97ee07ebbfbd492a4');
INSERT INTO public.ledger_tree VALUES (1, 0, '\xd99ef2249d5b8b093c513906d19d2cac7e138f39f68be965910048ec9d893f5e');
INSERT INTO public.ledger_tree VALUES (1, 1, '\xdebb5d11279036b744b5545a9c04b6885bb81ad4b628db825ecda126d370c036');
INSERT INTO public.ledger_tree VALUES (1, 2, '\x0d5164cfb1354e595bfbc084fcfd7282e3106208ed322799fc2ceb93c8302f81');
INSERT INTO public.ledger_tree VALUES (1, 3, '\x094e6adc4515eada7da3c81993e9d4d5d221865053da059e996351aee2ef4187');
INSERT INTO public.ledger_tree VALUES (1, 4, '\x8b4709a14d7b47e1a83894e42b96edea0f0efe752b39a1815a3fc5b315f5f19a');
INSERT INTO public.ledger_tree VALUES (1, 5, '\x07ee1b86ccdfe7ea7ef1c4886aaf036b4c172e4a9bc3c068c32ff004c33ad2a5');
INSERT INTO public.ledger_tree VALUES (1, 6, '\xd212a2b5b4fea66ba5091254c1223da98aa450a97d0569a170d74ae1f37b2a21');
INSERT INTO public.ledger_tree VALUES (1, 7, '\xe3e86fcf479b8eee09d942c199aa9849186320acb3107092a39ccca6a526fb98');
INSERT INTO public.ledger_tree VALUES (1, 8, '\xd97b8d4a914494ffbde7c1e61cd415b73cffd49a432c8681d7132ab96a106e21');
INSERT INTO public.ledger_tree VALUES (1, 9, '\xef61fd0539defec3f6aabb7d324d8df93b4801bdff7ebd921f22a83ec6b4e63d');
INSERT INTO public.ledger_tree VALUES (1, 10, '\xa41697c9b8e07ee272fe1e8614c43cb6463ebdcd1a3e8a28bbde6d5669aa36f8');
INSERT INTO public.ledger_tree VALUES (1, 11, '\xac95ba2402d6b3c5ddc5be982dc56277fd90d2f047f9d6dfd0468da107cb144e');
INSERT INTO public.ledger_tree VALUES (1, 12, '\x8a1c5dac8bc5de384a16057fee64cc4a76d937d597fc4d2d3278433324c09e74');
INSERT INTO public.ledger_tree VALUES (1, 13, '\x7281194829a54f776fa7bc446a2ab9eb6fa90a78e6c3e0a826a59b34dec34d10');
INSERT INTO public.ledger_tree VALUES (1, 14, '\x80730958d1a7333c33c331f4b90505ccedb35ea765c763b57881a9e9c7ef7714');
INSERT INTO public.ledger_tree VALUES (1, 15, '\x69aa53d70e8e4cb6b3630820864d9727dd6a0bbaf1f4fef34959379f6c4982b5');
INSERT INTO public.ledger_tree VALUES (1, 16, '\x735727d3e64a023f19b3efe985031edf0cb292cbc70cc361fd3d1d6a34de7908');
INSERT INTO public.ledger_tree VALUES (2, 0, '\xda05a3e98cff3b1b6d49728668a07237a2050a9ee790ca262208c73d29673757');
INSERT INTO public.ledger_tree VALUES (2, 1, '\x033d9b0fa6144bbb4f0a31faf609aeb88815bb8c367952f7e253a23cbe7a4724');
INSERT INTO public.ledger_tree VALUES (2, 2, '\xa9ee8e056dd65d812a6b9f57b50b0a67538994704b71d8785d20a1082d7937a2');
INSERT INTO public.ledger_tree VALUES (2, 3, '\x2d34170d0686fd483cfabee3c390e85622a3741595a966abc34cab534fa9a9d0');
INSERT INTO public.ledger_tree VALUES (2, 4, '\x93fbeb3694b99234db50368f3ecfc57e371fdfcc5df06410b3ab9d071ead563f');
INSERT INTO public.ledger_tree VALUES (2, 5, '\xfb154fe0a8c6c61d2f8aad60c3e8972713b941e6e3435219e6cf4f435decfc48');
INSERT INTO public.ledger_tree VALUES (2, 6, '\xcece5385af4ac675543528481f09b35a18757269b7d936cdd7c8b54a78dfaad7');
INSERT INTO public.ledger_tree VALUES (2, 7, '\xf524c0b811f99b26685987094b05103eef0ac385d1b537c02dfa63a1f946d6aa');
INSERT INTO public.ledger_tree VALUES (3, 0, '\x5fdc01200e800b59e4dc7ce143dd53879b918ae52693ea325c1503dbd44df004');
INSERT INTO public.ledger_tree VALUES (3, 1, '\xc5ad636a5a70a1ae116c1285e5fa5e5f3019b60292d02bef53c0d95b5c906779');
INSERT INTO public.ledger_tree VALUES (3, 2, '\x7a770966dc2297c3c121dc157bc8bd722638f495c36fc5064ae54af5813826ad');
INSERT INTO public.ledger_tree VALUES (3, 3, '\x68cf8c69d8295d12bbe85826f72b9b7c947b96a35127968e1f1182b4628d9232');
INSERT INTO public.ledger_tree VALUES (4, 0, '\x0953d3b895702744896a85626c8a0bd1850517d0b843428f5527eda9fd4a2dc1');
INSERT INTO public.ledger_tree VALUES (4, 1, '\x9639463779741353aeeb016f1be623170a0c55f1b77c23a4a2ad07c8bad5d9c0');
INSERT INTO public.ledger_tree VALUES (5, 0, '\x7d74619f75aa33cfb037697bfe6f4be5a21d9cb73b230d2e581b32b2b5438072');


--
-- Data for Name: ledger_versions; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.ledger_versions VALUES (3, 1, '0.3.0');


--
-- Data for Name: mandates; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.mandates VALUES (1, 1, 4611686018427387904, -3835775395532356620, 'files', 'identity:head', 'role:dues/*', NULL, NULL, 'give;take');


--
-- Data for Name: members; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.members VALUES (1, 1, 4611686018427387904, -6194758644584937933, 'files', 'directory', 'inner', 'identity:cy');
INSERT INTO public.members VALUES (2, 1, 4611686018427387904, 743701666965130344, 'files', 'directory', 'inner', 'account:dues/bot1');


--
-- Data for Name: merges; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.merges VALUES (1, 22, 4611686018427387904, -4122623797466424047, NULL, 'twice', 'bo', 'bo.clerk@office.example', '{"id":"twice","name":"Bo Clerk","kind":"person","status":"active","email":"bo.clerk@office.example","department":"Dues","title":"Clerk","manager":"head","attributes":"{\"site\":\"south\"}"}', 'r.lund', '2026-06-15T09:00:00Z', 'one person');


--
-- Data for Name: orders; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.orders VALUES (1, 16, 17, 7385490999627226474, NULL, 1, 'review-spring', 'dues', 'files', 'grants', '["g2"]', '{"grant":"g2","holder":"identity:ann","gives":"role:dues/waiver","effect":"permit","tier":0}', NULL, 'open', 'r.lund', '2026-06-15T09:00:00Z', '2026-06-22T09:00:00Z', NULL, NULL, NULL);
INSERT INTO public.orders VALUES (2, 17, 18, 6285944776646167897, NULL, 1, 'review-spring', 'dues', 'files', 'grants', '["g2"]', '{"grant":"g2","holder":"identity:ann","gives":"role:dues/waiver","effect":"permit","tier":0}', NULL, 'handed over', 'r.lund', '2026-06-15T09:00:00Z', '2026-06-22T09:00:00Z', 'r.lund', '2026-06-15T09:00:00Z', NULL);
INSERT INTO public.orders VALUES (3, 18, 4611686018427387904, -3625964615210769915, NULL, 1, 'review-spring', 'dues', 'files', 'grants', '["g2"]', '{"grant":"g2","holder":"identity:ann","gives":"role:dues/waiver","effect":"permit","tier":0}', NULL, 'confirmed', 'r.lund', '2026-06-15T09:00:00Z', '2026-06-22T09:00:00Z', 'r.lund', '2026-06-15T09:00:00Z', 'by the gather of files');
INSERT INTO public.orders VALUES (4, 19, 4611686018427387904, 2915283744890600152, NULL, 2, 'change-1', 'dues', 'files', 'grants', '["g-yja4jzrqg3dd"]', NULL, '{"grant":"g-yja4jzrqg3dd","holder":"identity:cy","gives":"role:dues/waiver","effect":"permit","tier":0,"until":"2026-12-31","given_by":"head","given_at":"2026-06-15","reason":"stands in"}', 'open', 'head', '2026-06-15T09:00:00Z', '2026-06-22T09:00:00Z', NULL, NULL, NULL);
INSERT INTO public.orders VALUES (5, 21, 4611686018427387904, 8938981713165314485, NULL, 3, 'change-2', 'dues', 'files', 'roles', '["dues","all"]', NULL, '{"system":"dues","role":"all","title":"All","active":1}', 'open', 'head', '2026-06-15T09:00:00Z', '2026-06-22T09:00:00Z', NULL, NULL, NULL);
INSERT INTO public.orders VALUES (6, 21, 4611686018427387904, 3069732973489887499, NULL, 4, 'change-2', 'dues', 'files', 'role_permissions', '["dues","all","view","dues:/**","permit"]', NULL, '{"system":"dues","role":"all","action":"view","resource":"dues:/**","effect":"permit"}', 'open', 'head', '2026-06-15T09:00:00Z', '2026-06-22T09:00:00Z', NULL, NULL, NULL);
INSERT INTO public.orders VALUES (7, 21, 4611686018427387904, 5702616740391719168, NULL, 5, 'change-2', 'dues', 'files', 'role_permissions', '["dues","all","view","dues:/board","deny"]', NULL, '{"system":"dues","role":"all","action":"view","resource":"dues:/board","effect":"deny"}', 'open', 'head', '2026-06-15T09:00:00Z', '2026-06-22T09:00:00Z', NULL, NULL, NULL);
INSERT INTO public.orders VALUES (8, 21, 4611686018427387904, 6331268305733186366, NULL, 6, 'change-2', 'dues', 'files', 'role_permissions', '["dues","all","edit","dues:/tariffs/**","permit"]', NULL, '{"system":"dues","role":"all","action":"edit","resource":"dues:/tariffs/**","effect":"permit"}', 'open', 'head', '2026-06-15T09:00:00Z', '2026-06-22T09:00:00Z', NULL, NULL, NULL);
INSERT INTO public.orders VALUES (9, 21, 4611686018427387904, 1698303834203382620, NULL, 7, 'change-2', 'dues', 'files', 'role_permissions', '["dues","all","approve","dues:/waivers/**","permit"]', NULL, '{"system":"dues","role":"all","action":"approve","resource":"dues:/waivers/**","effect":"permit"}', 'open', 'head', '2026-06-15T09:00:00Z', '2026-06-22T09:00:00Z', NULL, NULL, NULL);
INSERT INTO public.orders VALUES (10, 26, 4611686018427387904, -140112811036429085, NULL, 8, 'request-1', 'directory', 'files', 'members', '["directory","inner","identity:ann"]', NULL, '{"system":"directory","group":"inner","member":"identity:ann"}', 'open', 'head', '2026-06-15T09:00:00Z', '2026-06-29T09:00:00Z', NULL, NULL, NULL);
INSERT INTO public.orders VALUES (11, 26, 4611686018427387904, 7504174032702944593, NULL, 9, 'request-1', 'dues', 'files', 'grants', '["g-xqloy7eniv3q"]', NULL, '{"grant":"g-xqloy7eniv3q","holder":"identity:ann","gives":"role:dues/reader","effect":"permit","tier":0,"until":"2026-09-15","given_by":"head","given_at":"2026-06-15","reason":"request 1: rota"}', 'open', 'head', '2026-06-15T09:00:00Z', '2026-06-22T09:00:00Z', NULL, NULL, NULL);


--
-- Data for Name: problems; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.problems VALUES (1, 1, 4611686018427387904, -4996898478514407174, 'files', 'accounts.csv', 6, 'identity', 'nobody-there', 'there is no identity nobody-there', 'Nearest: ann, bo, bot.', 'noted');
INSERT INTO public.problems VALUES (2, 1, 18, -8904899574631052038, 'files', 'grants.csv', 10, 'holder', 'identity:nobody-there', 'there is no identity or account or group identity:nobody-there', 'Nearest: ann, bo, bot.', 'set aside');
INSERT INTO public.problems VALUES (3, 1, 4611686018427387904, 2565960344189432745, 'files', 'mandates.csv', 3, 'holder', 'identity:r.lund', 'there is no identity or account or group identity:r.lund', 'Nearest: ann, bo, bot.', 'set aside');
INSERT INTO public.problems VALUES (4, 18, 30, -6183925297854881944, 'files', 'grants.csv', 9, 'holder', 'identity:nobody-there', 'there is no identity or account or group identity:nobody-there', 'Nearest: ann, bo, bot.', 'set aside');
INSERT INTO public.problems VALUES (5, 30, 4611686018427387904, -6859819292552191151, 'files', 'grants.csv', 10, 'holder', 'identity:nobody-there', 'there is no identity or account or group identity:nobody-there', 'Nearest: ann, bo, bot.', 'set aside');


--
-- Data for Name: request_items; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.request_items VALUES (1, 26, 4611686018427387904, -7783467281594237349, NULL, 1, 1, 'members', '["directory","inner","identity:ann"]', 'identity:ann', 'group:directory/inner', NULL, 1);
INSERT INTO public.request_items VALUES (2, 26, 4611686018427387904, 5190371816847709359, NULL, 1, 2, 'grants', '["g-xqloy7eniv3q"]', 'identity:ann', 'role:dues/reader', NULL, 1);


--
-- Data for Name: request_remarks; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.request_remarks VALUES (1, 24, 4611686018427387904, 3871386464112943191, NULL, 1, 1, 'question', 'head', '2026-06-15T09:00:00Z', 'Until when?');
INSERT INTO public.request_remarks VALUES (2, 25, 4611686018427387904, 2670564049321607464, NULL, 1, 2, 'answer', 'ann', '2026-06-15T09:00:00Z', 'September.');


--
-- Data for Name: request_steps; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.request_steps VALUES (1, 23, 26, -4616980042709848799, NULL, 1, 1, 'head', 'manager', 'one', '2026-06-22T09:00:00Z', NULL, NULL, NULL, NULL, NULL, NULL);
INSERT INTO public.request_steps VALUES (2, 26, 4611686018427387904, -9010627235425290875, NULL, 1, 1, 'head', 'manager', 'one', '2026-06-22T09:00:00Z', 'grant', 'head', '2026-06-15T09:00:00Z', 'approver', 'for the summer', NULL);
INSERT INTO public.request_steps VALUES (3, 27, 28, 6999960900899160481, NULL, 2, 1, 'head', 'manager', 'one', '2026-06-22T09:00:00Z', NULL, NULL, NULL, NULL, NULL, NULL);
INSERT INTO public.request_steps VALUES (4, 28, 4611686018427387904, 2411616989483326109, NULL, 2, 1, 'head', 'manager', 'one', '2026-06-22T09:00:00Z', 'deny', 'head', '2026-06-15T09:00:00Z', 'approver', 'not needed', NULL);
INSERT INTO public.request_steps VALUES (5, 29, 4611686018427387904, -2142698673094972679, NULL, 3, 1, 'head', 'manager', 'one', '2026-06-22T09:00:00Z', NULL, NULL, NULL, NULL, NULL, NULL);


--
-- Data for Name: requests; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.requests VALUES (1, 23, 26, -7510121860263147549, NULL, 1, 'open', 'quay-summer', NULL, 'ann', NULL, 'ann', '2026-06-15T09:00:00Z', 'rota', '{"which quay":"the north one"}', '2026-09-15', NULL, NULL, 1, '2026-07-06T09:00:00Z', NULL, 0, NULL, NULL, NULL, NULL, NULL);
INSERT INTO public.requests VALUES (2, 26, 4611686018427387904, 542835814953094863, NULL, 1, 'granted', 'quay-summer', NULL, 'ann', NULL, 'ann', '2026-06-15T09:00:00Z', 'rota', '{"which quay":"the north one"}', '2026-09-15', NULL, NULL, 1, '2026-07-06T09:00:00Z', NULL, 0, 'request-1', NULL, NULL, NULL, NULL);
INSERT INTO public.requests VALUES (3, 27, 28, 772093583455818527, NULL, 2, 'open', NULL, '[["view dues:/tariffs/2026",null,"person"]]', 'cy', NULL, 'cy', '2026-06-15T09:00:00Z', 'curious', NULL, '2026-09-15', NULL, NULL, 1, '2026-07-06T09:00:00Z', NULL, 0, NULL, NULL, NULL, NULL, NULL);
INSERT INTO public.requests VALUES (4, 28, 4611686018427387904, 7171266066955403041, NULL, 2, 'denied', NULL, '[["view dues:/tariffs/2026",null,"person"]]', 'cy', NULL, 'cy', '2026-06-15T09:00:00Z', 'curious', NULL, '2026-09-15', NULL, NULL, 1, '2026-07-06T09:00:00Z', NULL, 0, NULL, '2026-06-15T09:00:00Z', 'head', 'not needed', NULL);
INSERT INTO public.requests VALUES (5, 29, 4611686018427387904, -4482574945974043224, NULL, 3, 'open', NULL, '[["role:dues/reader",null,"person"]]', 'cy', NULL, 'cy', '2026-06-15T09:00:00Z', 'stands in', NULL, '2026-09-15', NULL, NULL, 1, '2026-07-06T09:00:00Z', NULL, 0, NULL, NULL, NULL, NULL, NULL);


--
-- Data for Name: resources; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.resources VALUES (1, 1, 4611686018427387904, -1663672957305427899, 'files', 'dues:/tariffs/2026', 'tariff', NULL, NULL, 2, 0, 'year;open', NULL, '{"site":"north"}');
INSERT INTO public.resources VALUES (2, 1, 4611686018427387904, -1955403977819562102, 'files', 'dues:/waivers/2026', 'waiver', NULL, NULL, 1, 0, NULL, 'dues:/tariffs/2026', '{"site":"north"}');
INSERT INTO public.resources VALUES (3, 1, 4611686018427387904, 7374811511433416405, 'files', 'dues:/waivers/2025', 'waiver', NULL, NULL, 1, 0, NULL, NULL, '{"site":"south"}');
INSERT INTO public.resources VALUES (4, 1, 4611686018427387904, -4665421540025552960, 'files', 'dues:/board', NULL, NULL, NULL, 3, 1, NULL, NULL, NULL);


--
-- Data for Name: returned; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.returned VALUES (1, 30, 4611686018427387904, 8145950802014038445, NULL, 'grants', '["g2"]', 'files', 18, '2026-06-15T09:00:00Z', 'spring review', '2026-06-20T09:00:00Z');


--
-- Data for Name: review_lines; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.review_lines VALUES (1, 10, 4611686018427387904, 6180519608606285548, NULL, 'spring', 1, 'bo', 'head', 'identity:bo', 'g3', NULL, NULL, NULL, 4, 1, 2, NULL, NULL, 1, NULL, 'active', NULL, NULL, NULL, NULL, '2027-01-31', NULL, NULL, NULL, NULL, 20, NULL, 0, NULL, NULL, NULL, 'Nothing stands out.', 1, 5, NULL, NULL, '2026-05-01', NULL, 'approve', 3, 'never-signed-in', NULL, NULL);
INSERT INTO public.review_lines VALUES (2, 10, 4611686018427387904, 8096274771686847183, NULL, 'spring', 2, 'twice', 'head', 'identity:twice', 'g8', NULL, NULL, NULL, 8, 2, 2, NULL, NULL, 1, NULL, 'active', NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, 16, 'redundant', 1, NULL, NULL, 'against', 'Nobody would lose anything without it: what it gives comes by another way too.', 2, 5, 'D-3', NULL, '2026-06-01T09:00:00Z', NULL, 'view', 0, 'duplicate-identity', 'dues', NULL);
INSERT INTO public.review_lines VALUES (3, 10, 4611686018427387904, 1731107653265570558, NULL, 'spring', 3, 'gone', 'head', 'identity:gone', 'g7', NULL, NULL, NULL, 6, 3, 3, NULL, NULL, 1, NULL, 'left', NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, 4, NULL, NULL, NULL, NULL, 'against', 'The person has left and still holds it.', 3, 6, NULL, NULL, '2026-06-01T09:00:00Z', NULL, NULL, 0, NULL, 'dues', NULL);
INSERT INTO public.review_lines VALUES (4, 10, 4611686018427387904, 9100854879178163973, NULL, 'spring', 4, 'ann', 'head', 'identity:ann', 'g1', NULL, NULL, NULL, 3, 0, 2, NULL, 'D-1', 1, NULL, 'active', NULL, NULL, '2026-05-01', 2, NULL, 'head', '2025-01-01', 'first day', '2026-05-01', 23, NULL, 0, NULL, NULL, 'against', 'It is part of a conflict of duties: D-1.', 0, 5, 'D-3', 'edit on 1 resource and view on 1 resource', '2026-05-01', '2026-05-01', 'view', 1, NULL, NULL, NULL);
INSERT INTO public.review_lines VALUES (5, 10, 4611686018427387904, 2252924386075363617, NULL, 'spring', 5, 'ann', 'head', 'identity:ann', 'g2', NULL, NULL, NULL, 4, 1, 2, NULL, 'D-1', 1, NULL, 'active', NULL, NULL, '2026-05-02', 1, NULL, NULL, NULL, NULL, '2026-05-01', 23, 'beyond-needs', 0, NULL, NULL, 'against', 'It is part of a conflict of duties: D-1.', 1, 5, NULL, NULL, '2026-06-01T09:00:00Z', '2026-05-02', NULL, 3, NULL, NULL, NULL);
INSERT INTO public.review_lines VALUES (6, 31, 4611686018427387904, -5688734076774713875, NULL, 'summer', 1, 'bo', 'head', 'identity:bo', 'g3', NULL, NULL, NULL, 4, 1, 1, NULL, NULL, 1, NULL, 'active', NULL, NULL, NULL, NULL, '2027-01-31', NULL, NULL, NULL, NULL, 21, 'beyond-needs', 0, '2026-06-15T09:00:00Z', 'head', 'against', 'Found of it: beyond-needs.', 1, 4, NULL, NULL, '2026-05-01', NULL, 'approve', 3, 'never-signed-in', NULL, NULL);
INSERT INTO public.review_lines VALUES (7, 31, 4611686018427387904, -7114603073988976211, NULL, 'summer', 2, 'bo', 'head', 'identity:bo', 'g8', NULL, NULL, NULL, 8, 1, 1, NULL, NULL, 1, NULL, 'active', NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, 21, 'redundant', 1, NULL, NULL, 'against', 'Nobody would lose anything without it: what it gives comes by another way too.', 1, 4, 'D-3', NULL, '2026-06-01T09:00:00Z', NULL, 'view', 0, 'never-signed-in', NULL, NULL);
INSERT INTO public.review_lines VALUES (8, 31, 4611686018427387904, 6505450323385478173, NULL, 'summer', 3, 'gone', 'head', 'identity:gone', 'g7', NULL, NULL, NULL, 6, 2, 2, NULL, NULL, 1, NULL, 'left', NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, 4, NULL, NULL, '2026-06-15T09:00:00Z', 'head', 'against', 'The person has left and still holds it.', 2, 5, NULL, NULL, '2026-06-01T09:00:00Z', NULL, NULL, 0, NULL, 'dues', NULL);
INSERT INTO public.review_lines VALUES (9, 31, 4611686018427387904, -5866620620404185468, NULL, 'summer', 4, 'ann', 'head', 'identity:ann', 'g1', NULL, NULL, NULL, 3, 0, 1, NULL, 'D-1', 1, NULL, 'active', NULL, NULL, '2026-05-01', 2, NULL, 'head', '2025-01-01', 'first day', '2026-05-01', 32, NULL, 0, '2026-06-15T09:00:00Z', 'head', 'against', 'It is part of a conflict of duties: D-1.', 0, 4, 'D-3', 'edit on 1 resource and view on 1 resource', '2026-05-01', '2026-05-01', 'view', 1, 'came-back', NULL, NULL);
INSERT INTO public.review_lines VALUES (10, 31, 4611686018427387904, -6268025567768149747, NULL, 'summer', 5, 'ann', 'head', 'identity:ann', 'g2', NULL, NULL, NULL, 4, 1, 1, NULL, 'D-1', 1, NULL, 'active', NULL, NULL, '2026-05-02', 1, NULL, NULL, NULL, NULL, '2026-05-01', 32, 'beyond-needs', 0, NULL, NULL, 'against', 'It is part of a conflict of duties: D-1.', 1, 4, NULL, NULL, '2026-06-01T09:00:00Z', '2026-05-02', NULL, 3, 'came-back', NULL, NULL);


--
-- Data for Name: review_remarks; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.review_remarks VALUES (1, 11, 4611686018427387904, 7276466555860558987, NULL, 'spring', 1, 1, 'question', 'head', '2026-06-02T09:00:00Z', 'Do you still?', 'ann');
INSERT INTO public.review_remarks VALUES (2, 12, 4611686018427387904, -4834378749342471752, NULL, 'spring', 1, 2, 'answer', 'ann', '2026-06-02T09:00:00Z', 'Yes.', NULL);


--
-- Data for Name: review_things; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.review_things VALUES (1, 10, 4611686018427387904, -2590491632795325145, NULL, 'spring', 3, 'role:dues/setter on area:north', '[]', '["edit dues:/tariffs/**","view dues:/**","never view dues:/board"]', '[]', NULL, NULL, '2026-05-01', 2);
INSERT INTO public.review_things VALUES (2, 10, 4611686018427387904, -4041939696003592883, NULL, 'spring', 4, 'role:dues/waiver', '[]', '["approve dues:/waivers/**"]', '[]', NULL, NULL, '2026-05-01', 1);
INSERT INTO public.review_things VALUES (3, 10, 4611686018427387904, -329546792565691208, NULL, 'spring', 6, 'role:dues/reader', '[]', '["view dues:/**","never view dues:/board"]', '[]', NULL, NULL, '2026-05-01', 3);
INSERT INTO public.review_things VALUES (4, 10, 4611686018427387904, -788503135503368186, NULL, 'spring', 8, 'view dues:/tariffs/2026', '[]', '["view dues:/tariffs/2026"]', '[]', NULL, NULL, '2026-05-01', 2);
INSERT INTO public.review_things VALUES (5, 31, 4611686018427387904, -8662780532135040726, NULL, 'summer', 3, 'role:dues/setter on area:north', '[]', '["edit dues:/tariffs/**","view dues:/**","never view dues:/board"]', '[]', NULL, NULL, '2026-05-01', 2);
INSERT INTO public.review_things VALUES (6, 31, 4611686018427387904, 8332515478366243152, NULL, 'summer', 4, 'role:dues/waiver', '[]', '["approve dues:/waivers/**"]', '[]', NULL, NULL, '2026-05-01', 1);
INSERT INTO public.review_things VALUES (7, 31, 4611686018427387904, -6401835691905406789, NULL, 'summer', 6, 'role:dues/reader', '[]', '["view dues:/**","never view dues:/board"]', '[]', NULL, NULL, '2026-05-01', 3);
INSERT INTO public.review_things VALUES (8, 31, 4611686018427387904, -6860792034843083767, NULL, 'summer', 8, 'view dues:/tariffs/2026', '[]', '["view dues:/tariffs/2026"]', '[]', NULL, NULL, '2026-05-01', 2);


--
-- Data for Name: reviews; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.reviews VALUES (1, 10, 16, 5141244309761125664, NULL, 'spring', 'department pr', '2026-06-02T09:00:00Z', 'r.lund', '2026-06-30', 'open', NULL, NULL, 'manager', NULL, 'access', NULL, NULL);
INSERT INTO public.reviews VALUES (2, 16, 4611686018427387904, -2915134615543297373, NULL, 'spring', 'department pr', '2026-06-02T09:00:00Z', 'r.lund', '2026-06-30', 'signed off', '2026-06-15T09:00:00Z', 'r.lund', 'manager', NULL, 'access', NULL, NULL);
INSERT INTO public.reviews VALUES (3, 31, 4611686018427387904, -948808301835365692, NULL, 'summer', 'title eq "Clerk"', '2026-06-20T09:00:00Z', 'r.lund', '2026-07-31', 'open', NULL, NULL, 'manager', NULL, 'access', NULL, NULL);


--
-- Data for Name: role_juniors; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.role_juniors VALUES (1, 1, 4611686018427387904, 542858630043642392, 'files', 'dues', 'setter', 'role:dues/reader');


--
-- Data for Name: role_parts; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.role_parts VALUES (1, 21, 4611686018427387904, 4314777320198493244, NULL, 'role:dues/all', 'role:dues/setter', '[["dues:/**","view","permit"],["dues:/board","view","deny"],["dues:/tariffs/**","edit","permit"]]', '2026-06-15T09:00:00Z');
INSERT INTO public.role_parts VALUES (2, 21, 4611686018427387904, 6571797647497620068, NULL, 'role:dues/all', 'role:dues/waiver', '[["dues:/waivers/**","approve","permit"]]', '2026-06-15T09:00:00Z');


--
-- Data for Name: role_permissions; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.role_permissions VALUES (1, 1, 4611686018427387904, 5548744652781085944, 'files', 'dues', 'setter', 'edit', 'dues:/tariffs/**', 'permit');
INSERT INTO public.role_permissions VALUES (2, 1, 4611686018427387904, 1486113825261971736, 'files', 'dues', 'waiver', 'approve', 'dues:/waivers/**', 'permit');
INSERT INTO public.role_permissions VALUES (3, 1, 4611686018427387904, -9119796048003790975, 'files', 'dues', 'reader', 'view', 'dues:/**', 'permit');
INSERT INTO public.role_permissions VALUES (4, 1, 4611686018427387904, -7527364538613420153, 'files', 'dues', 'reader', 'view', 'dues:/board', 'deny');


--
-- Data for Name: roles; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.roles VALUES (1, 1, 4611686018427387904, -333355726146666560, 'files', 'dues', 'setter', 'Sets tariffs', NULL, 1);
INSERT INTO public.roles VALUES (2, 1, 4611686018427387904, 7549390007775251924, 'files', 'dues', 'waiver', 'Waives', NULL, 1);
INSERT INTO public.roles VALUES (3, 1, 4611686018427387904, -469501728273240162, 'files', 'dues', 'reader', 'Reads', NULL, 1);
INSERT INTO public.roles VALUES (4, 1, 4611686018427387904, -5250247687147064765, 'files', 'dues', 'old', 'Of old', NULL, 0);


--
-- Data for Name: settings; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.settings VALUES (1, 1, 4611686018427387904, 2782872382719623317, NULL, 'controls.toml', 'b8e751ab43f3bbadfe5dbaa27950cabe703dea4c1f7d3aab58c6ace8925773a7', '[[control]]
id = "C-1"
title = "A second look"
owner = "head"
does = "The head looks at every waiver."
period = "P30D"
');
INSERT INTO public.settings VALUES (2, 1, 4611686018427387904, 8365899894174428953, NULL, 'kathodos.toml', 'c0f5ca34ff661f754e63dcaea38cddd5743a746e21a841993bf29098829ea137', '# A Kathodos workspace. Paths are relative to this folder.
kathodos = "0.3"   # for which version this is written; an earlier one does not work with it

[actors]
names = ["r.lund"]

# What `kathodos gather` reads: a folder of CSV tables (systems.csv, identities.csv, grants.csv ...).
[[source]]
name = "files"
kind = "tables"
path = "tables"

# Where a file has other headers, values or dates than ours, say so, one block a table:
# [source.tables.identities]
# file = "staff_export.csv"
# columns = { "Pers. No" = "id", "Full name" = "name" }
# values = { status = { "employed" = "active", "gone" = "left" } }
# dates = ["%d.%m.%Y"]

[[source]]
name = "hr"
kind = "tables"
path = "hr"

[precedence.identities]
name = ["hr", "files"]

[[may]]
who = ["r.lund", "head", "ann", "bo", "cy"]
acts = [
  "gather", "tie", "merge", "open reviews", "close reviews", "exchange packets", "cover", "compose", "apply", "enact",
  "ask", "decide requests", "tend requests", "mark",
]

[enact.dues]
by = "tables"
within = "P7D"

[requests]
approve = ["manager"]
');
INSERT INTO public.settings VALUES (3, 1, 4611686018427387904, -1281016782504807704, NULL, 'kits/quay-summer.toml', 'dea4eecdd07d0c35511306867b7e94ce258a0741e1b8477cba65a12fccb59483', 'title = "Summer on the quay"
owner = "head"
lasts = "P3M"
longest = "P6M"
says = ["which quay"]

[[gives]]
role = "dues/reader"

[[gives]]
group = "directory/inner"

[[approve]]
by = ["manager"]
');
INSERT INTO public.settings VALUES (4, 1, 4611686018427387904, 7132755540626206962, NULL, 'reviews/twice-a-year.toml', '86599423855c68feb4eae73cae3ed311829229e908a7326640c927b074ceee08', 'where = ''department eq "Dues"''
reviewers = ["manager"]
every = "P6M"
due = "P14D"
');
INSERT INTO public.settings VALUES (5, 1, 4611686018427387904, 6902284302487273381, NULL, 'rules/dues.toml', '71d0c10c080dbef688dd45a34e355df65dbc04981fff48e0484fca8bbbc873d2', 'topic = "Dues"
[[conflict]]
id = "D-1"
title = "Sets tariffs and waives dues"
severity = "high"
within = "site"
[[conflict.duty]]
name = "set tariffs"
any = ["edit dues:/tariffs/**"]
[[conflict.duty]]
name = "waive dues"
any = ["approve dues:/waivers/**"]

[[fence]]
id = "D-2"
title = "The board''s papers stay with the board"
who = ''title eq "Clerk"''
never = ["* dues:/board"]

[[need]]
id = "D-3"
title = "Clerks read tariffs"
who = ''title eq "Clerk"''
must = ["view dues:/tariffs/2026"]
');


--
-- Data for Name: systems; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.systems VALUES (1, 1, 4611686018427387904, -6186332274315255992, 'files', 'dues', 'Harbour dues', 'head', 'deny-overrides', 1, NULL);
INSERT INTO public.systems VALUES (2, 1, 4611686018427387904, 8178797504530406889, 'files', 'directory', 'Directory', 'head', 'deny-overrides', 1, NULL);


--
-- Data for Name: ties; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.ties VALUES (1, 4, 4611686018427387904, -2784001898541182415, NULL, 'dues/bo1', 'bo', 'a person', 'r.lund', '2026-06-01T09:00:00Z', 'asked him', NULL, NULL);
INSERT INTO public.ties VALUES (2, 5, 4611686018427387904, 6297746939877983341, NULL, 'dues/shared', '', 'a person', 'r.lund', '2026-06-01T09:00:00Z', '', NULL, 'head');


--
-- Name: accounts accounts_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.accounts
    ADD CONSTRAINT accounts_pkey PRIMARY KEY ("row");


--
-- Name: actions actions_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.actions
    ADD CONSTRAINT actions_pkey PRIMARY KEY ("row");


--
-- Name: activity activity_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.activity
    ADD CONSTRAINT activity_pkey PRIMARY KEY ("row");


--
-- Name: areas areas_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.areas
    ADD CONSTRAINT areas_pkey PRIMARY KEY ("row");


--
-- Name: baselines baselines_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.baselines
    ADD CONSTRAINT baselines_pkey PRIMARY KEY ("row");


--
-- Name: change_edits change_edits_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.change_edits
    ADD CONSTRAINT change_edits_pkey PRIMARY KEY ("row");


--
-- Name: changes changes_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.changes
    ADD CONSTRAINT changes_pkey PRIMARY KEY ("row");


--
-- Name: claims claims_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.claims
    ADD CONSTRAINT claims_pkey PRIMARY KEY ("row");


--
-- Name: confirmations confirmations_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.confirmations
    ADD CONSTRAINT confirmations_pkey PRIMARY KEY ("row");


--
-- Name: controls controls_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.controls
    ADD CONSTRAINT controls_pkey PRIMARY KEY ("row");


--
-- Name: covers covers_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.covers
    ADD CONSTRAINT covers_pkey PRIMARY KEY ("row");


--
-- Name: decisions decisions_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.decisions
    ADD CONSTRAINT decisions_pkey PRIMARY KEY ("row");


--
-- Name: grants grants_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.grants
    ADD CONSTRAINT grants_pkey PRIMARY KEY ("row");


--
-- Name: groups groups_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.groups
    ADD CONSTRAINT groups_pkey PRIMARY KEY ("row");


--
-- Name: identities identities_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.identities
    ADD CONSTRAINT identities_pkey PRIMARY KEY ("row");


--
-- Name: kit_entries kit_entries_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.kit_entries
    ADD CONSTRAINT kit_entries_pkey PRIMARY KEY ("row");


--
-- Name: kits kits_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.kits
    ADD CONSTRAINT kits_pkey PRIMARY KEY ("row");


--
-- Name: ledger_heads ledger_heads_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.ledger_heads
    ADD CONSTRAINT ledger_heads_pkey PRIMARY KEY (size);


--
-- Name: ledger ledger_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.ledger
    ADD CONSTRAINT ledger_pkey PRIMARY KEY (number);


--
-- Name: ledger_tree ledger_tree_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.ledger_tree
    ADD CONSTRAINT ledger_tree_pkey PRIMARY KEY (level, "position");


--
-- Name: ledger_versions ledger_versions_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.ledger_versions
    ADD CONSTRAINT ledger_versions_pkey PRIMARY KEY (version);


--
-- Name: mandates mandates_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.mandates
    ADD CONSTRAINT mandates_pkey PRIMARY KEY ("row");


--
-- Name: members members_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.members
    ADD CONSTRAINT members_pkey PRIMARY KEY ("row");


--
-- Name: merges merges_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.merges
    ADD CONSTRAINT merges_pkey PRIMARY KEY ("row");


--
-- Name: orders orders_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.orders
    ADD CONSTRAINT orders_pkey PRIMARY KEY ("row");


--
-- Name: problems problems_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.problems
    ADD CONSTRAINT problems_pkey PRIMARY KEY ("row");


--
-- Name: request_items request_items_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.request_items
    ADD CONSTRAINT request_items_pkey PRIMARY KEY ("row");


--
-- Name: request_remarks request_remarks_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.request_remarks
    ADD CONSTRAINT request_remarks_pkey PRIMARY KEY ("row");


--
-- Name: request_steps request_steps_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.request_steps
    ADD CONSTRAINT request_steps_pkey PRIMARY KEY ("row");


--
-- Name: requests requests_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.requests
    ADD CONSTRAINT requests_pkey PRIMARY KEY ("row");


--
-- Name: resources resources_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.resources
    ADD CONSTRAINT resources_pkey PRIMARY KEY ("row");


--
-- Name: returned returned_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.returned
    ADD CONSTRAINT returned_pkey PRIMARY KEY ("row");


--
-- Name: review_lines review_lines_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.review_lines
    ADD CONSTRAINT review_lines_pkey PRIMARY KEY ("row");


--
-- Name: review_remarks review_remarks_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.review_remarks
    ADD CONSTRAINT review_remarks_pkey PRIMARY KEY ("row");


--
-- Name: review_things review_things_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.review_things
    ADD CONSTRAINT review_things_pkey PRIMARY KEY ("row");


--
-- Name: reviews reviews_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.reviews
    ADD CONSTRAINT reviews_pkey PRIMARY KEY ("row");


--
-- Name: role_juniors role_juniors_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.role_juniors
    ADD CONSTRAINT role_juniors_pkey PRIMARY KEY ("row");


--
-- Name: role_parts role_parts_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.role_parts
    ADD CONSTRAINT role_parts_pkey PRIMARY KEY ("row");


--
-- Name: role_permissions role_permissions_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.role_permissions
    ADD CONSTRAINT role_permissions_pkey PRIMARY KEY ("row");


--
-- Name: roles roles_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.roles
    ADD CONSTRAINT roles_pkey PRIMARY KEY ("row");


--
-- Name: settings settings_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.settings
    ADD CONSTRAINT settings_pkey PRIMARY KEY ("row");


--
-- Name: systems systems_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.systems
    ADD CONSTRAINT systems_pkey PRIMARY KEY ("row");


--
-- Name: ties ties_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.ties
    ADD CONSTRAINT ties_pkey PRIMARY KEY ("row");


--
-- Name: accounts kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.accounts FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR ((((((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.system IS DISTINCT FROM new.system)) OR (old.login IS DISTINCT FROM new.login)) OR (old.identity IS DISTINCT FROM new.identity)) OR (old.status IS DISTINCT FROM new.status)) OR (old.last_login IS DISTINCT FROM new.last_login)) OR (old.privileged IS DISTINCT FROM new.privileged)) OR (old.responsible IS DISTINCT FROM new.responsible)) OR (old.attributes IS DISTINCT FROM new.attributes)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.accounts ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: actions kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.actions FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR ((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.system IS DISTINCT FROM new.system)) OR (old.action IS DISTINCT FROM new.action)) OR (old.kind IS DISTINCT FROM new.kind)) OR (old.implies IS DISTINCT FROM new.implies)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.actions ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: activity kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.activity FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR ((((((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old."time" IS DISTINCT FROM new."time")) OR (old.account IS DISTINCT FROM new.account)) OR (old.identity IS DISTINCT FROM new.identity)) OR (old.action IS DISTINCT FROM new.action)) OR (old.resource IS DISTINCT FROM new.resource)) OR (old.record IS DISTINCT FROM new.record)) OR (old.task IS DISTINCT FROM new.task)) OR (old.count IS DISTINCT FROM new.count)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.activity ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: areas kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.areas FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR ((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.area IS DISTINCT FROM new.area)) OR (old.resources IS DISTINCT FROM new.resources)) OR (old."except" IS DISTINCT FROM new."except")) OR (old.filter IS DISTINCT FROM new.filter)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.areas ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: baselines kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.baselines FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR ((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.baseline IS DISTINCT FROM new.baseline)) OR (old.entry IS DISTINCT FROM new.entry)) OR (old.marked_at IS DISTINCT FROM new.marked_at)) OR (old.reason IS DISTINCT FROM new.reason)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.baselines ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: change_edits kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.change_edits FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR ((((((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.change IS DISTINCT FROM new.change)) OR (old.edit IS DISTINCT FROM new.edit)) OR (old.kind IS DISTINCT FROM new.kind)) OR (old.record IS DISTINCT FROM new.record)) OR (old.before IS DISTINCT FROM new.before)) OR (old.after IS DISTINCT FROM new.after)) OR (old.why IS DISTINCT FROM new.why)) OR (old.author IS DISTINCT FROM new.author)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.change_edits ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: changes kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.changes FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR ((((((((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.change IS DISTINCT FROM new.change)) OR (old.state IS DISTINCT FROM new.state)) OR (old.origin IS DISTINCT FROM new.origin)) OR (old.author IS DISTINCT FROM new.author)) OR (old.made_at IS DISTINCT FROM new.made_at)) OR (old.reason IS DISTINCT FROM new.reason)) OR (old.applied_by IS DISTINCT FROM new.applied_by)) OR (old.applied_at IS DISTINCT FROM new.applied_at)) OR (old.effect IS DISTINCT FROM new.effect)) OR (old.despite IS DISTINCT FROM new.despite)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.changes ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: claims kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.claims FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR ((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.kind IS DISTINCT FROM new.kind)) OR (old.record IS DISTINCT FROM new.record)) OR (old.said_by IS DISTINCT FROM new.said_by)) OR (old.said IS DISTINCT FROM new.said)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.claims ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: confirmations kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.confirmations FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR ((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.control IS DISTINCT FROM new.control)) OR (old.confirmed_at IS DISTINCT FROM new.confirmed_at)) OR (old.confirmed_by IS DISTINCT FROM new.confirmed_by)) OR (old.note IS DISTINCT FROM new.note)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.confirmations ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: controls kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.controls FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR (((((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.control IS DISTINCT FROM new.control)) OR (old.title IS DISTINCT FROM new.title)) OR (old.owner IS DISTINCT FROM new.owner)) OR (old.does IS DISTINCT FROM new.does)) OR (old.period IS DISTINCT FROM new.period)) OR (old.until_ IS DISTINCT FROM new.until_)) OR (old.added_at IS DISTINCT FROM new.added_at)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.controls ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: covers kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.covers FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR (((((((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.rule IS DISTINCT FROM new.rule)) OR (old.identity IS DISTINCT FROM new.identity)) OR (old.control IS DISTINCT FROM new.control)) OR (old.until_ IS DISTINCT FROM new.until_)) OR (old.reason IS DISTINCT FROM new.reason)) OR (old.covered_by IS DISTINCT FROM new.covered_by)) OR (old.covered_at IS DISTINCT FROM new.covered_at)) OR (old.ended_by IS DISTINCT FROM new.ended_by)) OR (old.ended_at IS DISTINCT FROM new.ended_at)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.covers ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: decisions kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.decisions FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR ((((((((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.review IS DISTINCT FROM new.review)) OR (old.line IS DISTINCT FROM new.line)) OR (old.decision IS DISTINCT FROM new.decision)) OR (old.decided_by IS DISTINCT FROM new.decided_by)) OR (old.decided_at IS DISTINCT FROM new.decided_at)) OR (old.reason IS DISTINCT FROM new.reason)) OR (old.signed IS DISTINCT FROM new.signed)) OR (old.capacity IS DISTINCT FROM new.capacity)) OR (old.reduced IS DISTINCT FROM new.reduced)) OR (old.opened IS DISTINCT FROM new.opened)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.decisions ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: grants kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.grants FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR ((((((((((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old."grant" IS DISTINCT FROM new."grant")) OR (old.holder IS DISTINCT FROM new.holder)) OR (old.gives IS DISTINCT FROM new.gives)) OR (old."on" IS DISTINCT FROM new."on")) OR (old.effect IS DISTINCT FROM new.effect)) OR (old.tier IS DISTINCT FROM new.tier)) OR (old."from" IS DISTINCT FROM new."from")) OR (old.until_ IS DISTINCT FROM new.until_)) OR (old.given_by IS DISTINCT FROM new.given_by)) OR (old.given_at IS DISTINCT FROM new.given_at)) OR (old.reason IS DISTINCT FROM new.reason)) OR (old.last_used IS DISTINCT FROM new.last_used)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.grants ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: groups kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.groups FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR (((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.system IS DISTINCT FROM new.system)) OR (old."group" IS DISTINCT FROM new."group")) OR (old.title IS DISTINCT FROM new.title)) OR (old.owner IS DISTINCT FROM new.owner)) OR (old.filter IS DISTINCT FROM new.filter)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.groups ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: identities kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.identities FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR ((((((((((((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.id IS DISTINCT FROM new.id)) OR (old.name IS DISTINCT FROM new.name)) OR (old.kind IS DISTINCT FROM new.kind)) OR (old.status IS DISTINCT FROM new.status)) OR (old.email IS DISTINCT FROM new.email)) OR (old.department IS DISTINCT FROM new.department)) OR (old.title IS DISTINCT FROM new.title)) OR (old.manager IS DISTINCT FROM new.manager)) OR (old.location IS DISTINCT FROM new.location)) OR (old.employment IS DISTINCT FROM new.employment)) OR (old.starts IS DISTINCT FROM new.starts)) OR (old.ends IS DISTINCT FROM new.ends)) OR (old.sponsor IS DISTINCT FROM new.sponsor)) OR (old.attributes IS DISTINCT FROM new.attributes)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.identities ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: kit_entries kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.kit_entries FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR ((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.kit IS DISTINCT FROM new.kit)) OR (old.gives IS DISTINCT FROM new.gives)) OR (old."on" IS DISTINCT FROM new."on")) OR (old."to" IS DISTINCT FROM new."to")))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.kit_entries ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: kits kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.kits FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR ((((((((((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.kit IS DISTINCT FROM new.kit)) OR (old.title IS DISTINCT FROM new.title)) OR (old.owner IS DISTINCT FROM new.owner)) OR (old."for" IS DISTINCT FROM new."for")) OR (old.domains IS DISTINCT FROM new.domains)) OR (old.approve IS DISTINCT FROM new.approve)) OR (old.lasts IS DISTINCT FROM new.lasts)) OR (old.longest IS DISTINCT FROM new.longest)) OR (old.says IS DISTINCT FROM new.says)) OR (old.hours IS DISTINCT FROM new.hours)) OR (old.told IS DISTINCT FROM new.told)) OR (old.looked_at_by IS DISTINCT FROM new.looked_at_by)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.kits ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: ledger kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.ledger FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.ledger ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: ledger_heads kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.ledger_heads FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.ledger_heads ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: ledger_tree kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.ledger_tree FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.ledger_tree ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: ledger_versions kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.ledger_versions FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.ledger_versions ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: mandates kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.mandates FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR (((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.holder IS DISTINCT FROM new.holder)) OR (old.roles IS DISTINCT FROM new.roles)) OR (old.area IS DISTINCT FROM new.area)) OR (old."for" IS DISTINCT FROM new."for")) OR (old.may IS DISTINCT FROM new.may)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.mandates ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: members kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.members FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR (((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.system IS DISTINCT FROM new.system)) OR (old."group" IS DISTINCT FROM new."group")) OR (old.member IS DISTINCT FROM new.member)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.members ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: merges kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.merges FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR (((((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.identity IS DISTINCT FROM new.identity)) OR (old."into" IS DISTINCT FROM new."into")) OR (old.email IS DISTINCT FROM new.email)) OR (old.record IS DISTINCT FROM new.record)) OR (old.merged_by IS DISTINCT FROM new.merged_by)) OR (old.merged_at IS DISTINCT FROM new.merged_at)) OR (old.reason IS DISTINCT FROM new.reason)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.merges ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: orders kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.orders FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR (((((((((((((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old."order" IS DISTINCT FROM new."order")) OR (old.change IS DISTINCT FROM new.change)) OR (old.system IS DISTINCT FROM new.system)) OR (old.source_named IS DISTINCT FROM new.source_named)) OR (old.kind IS DISTINCT FROM new.kind)) OR (old.record IS DISTINCT FROM new.record)) OR (old.before IS DISTINCT FROM new.before)) OR (old.after IS DISTINCT FROM new.after)) OR (old.state IS DISTINCT FROM new.state)) OR (old.ordered_by IS DISTINCT FROM new.ordered_by)) OR (old.ordered_at IS DISTINCT FROM new.ordered_at)) OR (old.due IS DISTINCT FROM new.due)) OR (old.changed_by IS DISTINCT FROM new.changed_by)) OR (old.changed_at IS DISTINCT FROM new.changed_at)) OR (old.note IS DISTINCT FROM new.note)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.orders ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: problems kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.problems FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR (((((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.file IS DISTINCT FROM new.file)) OR (old.line IS DISTINCT FROM new.line)) OR (old."column" IS DISTINCT FROM new."column")) OR (old.value IS DISTINCT FROM new.value)) OR (old.reason IS DISTINCT FROM new.reason)) OR (old.remedy IS DISTINCT FROM new.remedy)) OR (old.outcome IS DISTINCT FROM new.outcome)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.problems ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: request_items kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.request_items FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR ((((((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.request IS DISTINCT FROM new.request)) OR (old.item IS DISTINCT FROM new.item)) OR (old.kind IS DISTINCT FROM new.kind)) OR (old.record IS DISTINCT FROM new.record)) OR (old.holder IS DISTINCT FROM new.holder)) OR (old.gives IS DISTINCT FROM new.gives)) OR (old."on" IS DISTINCT FROM new."on")) OR (old.brought IS DISTINCT FROM new.brought)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.request_items ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: request_remarks kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.request_remarks FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR ((((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.request IS DISTINCT FROM new.request)) OR (old.remark IS DISTINCT FROM new.remark)) OR (old.sort IS DISTINCT FROM new.sort)) OR (old.said_by IS DISTINCT FROM new.said_by)) OR (old.said_at IS DISTINCT FROM new.said_at)) OR (old.text IS DISTINCT FROM new.text)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.request_remarks ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: request_steps kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.request_steps FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR ((((((((((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.request IS DISTINCT FROM new.request)) OR (old.step IS DISTINCT FROM new.step)) OR (old.approver IS DISTINCT FROM new.approver)) OR (old."as" IS DISTINCT FROM new."as")) OR (old.takes IS DISTINCT FROM new.takes)) OR (old.due IS DISTINCT FROM new.due)) OR (old.decision IS DISTINCT FROM new.decision)) OR (old.decided_by IS DISTINCT FROM new.decided_by)) OR (old.decided_at IS DISTINCT FROM new.decided_at)) OR (old.capacity IS DISTINCT FROM new.capacity)) OR (old.reason IS DISTINCT FROM new.reason)) OR (old.less IS DISTINCT FROM new.less)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.request_steps ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: requests kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.requests FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR ((((((((((((((((((((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.request IS DISTINCT FROM new.request)) OR (old.state IS DISTINCT FROM new.state)) OR (old.kit IS DISTINCT FROM new.kit)) OR (old.entries IS DISTINCT FROM new.entries)) OR (old.whom IS DISTINCT FROM new.whom)) OR (old.holder IS DISTINCT FROM new.holder)) OR (old.asked_by IS DISTINCT FROM new.asked_by)) OR (old.asked_at IS DISTINCT FROM new.asked_at)) OR (old.reason IS DISTINCT FROM new.reason)) OR (old.says IS DISTINCT FROM new.says)) OR (old.until_ IS DISTINCT FROM new.until_)) OR (old."on" IS DISTINCT FROM new."on")) OR (old.less IS DISTINCT FROM new.less)) OR (old.step IS DISTINCT FROM new.step)) OR (old.lapses IS DISTINCT FROM new.lapses)) OR (old.renews IS DISTINCT FROM new.renews)) OR (old.emergency IS DISTINCT FROM new.emergency)) OR (old.change IS DISTINCT FROM new.change)) OR (old.closed_at IS DISTINCT FROM new.closed_at)) OR (old.closed_by IS DISTINCT FROM new.closed_by)) OR (old.why IS DISTINCT FROM new.why)) OR (old.told_of_end IS DISTINCT FROM new.told_of_end)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.requests ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: resources kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.resources FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR (((((((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.resource IS DISTINCT FROM new.resource)) OR (old.type IS DISTINCT FROM new.type)) OR (old.title IS DISTINCT FROM new.title)) OR (old.owner IS DISTINCT FROM new.owner)) OR (old.sensitivity IS DISTINCT FROM new.sensitivity)) OR (old.detached IS DISTINCT FROM new.detached)) OR (old.tags IS DISTINCT FROM new.tags)) OR (old.refers IS DISTINCT FROM new.refers)) OR (old.attributes IS DISTINCT FROM new.attributes)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.resources ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: returned kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.returned FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR (((((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.kind IS DISTINCT FROM new.kind)) OR (old.record IS DISTINCT FROM new.record)) OR (old.said_by IS DISTINCT FROM new.said_by)) OR (old.ended_by IS DISTINCT FROM new.ended_by)) OR (old.ended_at IS DISTINCT FROM new.ended_at)) OR (old.why IS DISTINCT FROM new.why)) OR (old.back_at IS DISTINCT FROM new.back_at)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.returned ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: review_lines kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.review_lines FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR ((((((((((((((((((((((((((((((((((((((((((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.review IS DISTINCT FROM new.review)) OR (old.line IS DISTINCT FROM new.line)) OR (old.identity IS DISTINCT FROM new.identity)) OR (old.reviewer IS DISTINCT FROM new.reviewer)) OR (old.holder IS DISTINCT FROM new.holder)) OR (old."grant" IS DISTINCT FROM new."grant")) OR (old."group" IS DISTINCT FROM new."group")) OR (old.part IS DISTINCT FROM new.part)) OR (old.value IS DISTINCT FROM new.value)) OR (old.thing IS DISTINCT FROM new.thing)) OR (old.peers_having IS DISTINCT FROM new.peers_having)) OR (old.peers_counted IS DISTINCT FROM new.peers_counted)) OR (old.needed_by IS DISTINCT FROM new.needed_by)) OR (old.conflicts IS DISTINCT FROM new.conflicts)) OR (old.spoken IS DISTINCT FROM new.spoken)) OR (old.fences IS DISTINCT FROM new.fences)) OR (old.status IS DISTINCT FROM new.status)) OR (old.ends IS DISTINCT FROM new.ends)) OR (old.former IS DISTINCT FROM new.former)) OR (old.last_used IS DISTINCT FROM new.last_used)) OR (old.uses IS DISTINCT FROM new.uses)) OR (old.until_ IS DISTINCT FROM new.until_)) OR (old.given_by IS DISTINCT FROM new.given_by)) OR (old.given_at IS DISTINCT FROM new.given_at)) OR (old.given_for IS DISTINCT FROM new.given_for)) OR (old.signed_in IS DISTINCT FROM new.signed_in)) OR (old.risk IS DISTINCT FROM new.risk)) OR (old.excess IS DISTINCT FROM new.excess)) OR (old.redundant IS DISTINCT FROM new.redundant)) OR (old.certified_at IS DISTINCT FROM new.certified_at)) OR (old.certified_by IS DISTINCT FROM new.certified_by)) OR (old.speaks IS DISTINCT FROM new.speaks)) OR (old.stands_out IS DISTINCT FROM new.stands_out)) OR (old.all_having IS DISTINCT FROM new.all_having)) OR (old.all_counted IS DISTINCT FROM new.all_counted)) OR (old.also_needed IS DISTINCT FROM new.also_needed)) OR (old.beyond IS DISTINCT FROM new.beyond)) OR (old.known_since IS DISTINCT FROM new.known_since)) OR (old.credited_at IS DISTINCT FROM new.credited_at)) OR (old.never IS DISTINCT FROM new.never)) OR (old.lost IS DISTINCT FROM new.lost)) OR (old.found IS DISTINCT FROM new.found)) OR (old.no_account IS DISTINCT FROM new.no_account)) OR (old.stands_by IS DISTINCT FROM new.stands_by)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.review_lines ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: review_remarks kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.review_remarks FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR ((((((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.review IS DISTINCT FROM new.review)) OR (old.line IS DISTINCT FROM new.line)) OR (old.remark IS DISTINCT FROM new.remark)) OR (old.sort IS DISTINCT FROM new.sort)) OR (old.said_by IS DISTINCT FROM new.said_by)) OR (old.said_at IS DISTINCT FROM new.said_at)) OR (old.text IS DISTINCT FROM new.text)) OR (old.whom IS DISTINCT FROM new.whom)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.review_remarks ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: review_things kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.review_things FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR ((((((((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.review IS DISTINCT FROM new.review)) OR (old.thing IS DISTINCT FROM new.thing)) OR (old.gives IS DISTINCT FROM new.gives)) OR (old.brings IS DISTINCT FROM new.brings)) OR (old.contains IS DISTINCT FROM new.contains)) OR (old.within IS DISTINCT FROM new.within)) OR (old."having" IS DISTINCT FROM new."having")) OR (old.counted IS DISTINCT FROM new.counted)) OR (old.recorded IS DISTINCT FROM new.recorded)) OR (old.sensitivity IS DISTINCT FROM new.sensitivity)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.review_things ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: reviews kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.reviews FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR (((((((((((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.review IS DISTINCT FROM new.review)) OR (old.selects IS DISTINCT FROM new.selects)) OR (old.opened_at IS DISTINCT FROM new.opened_at)) OR (old.opened_by IS DISTINCT FROM new.opened_by)) OR (old.due IS DISTINCT FROM new.due)) OR (old.state IS DISTINCT FROM new.state)) OR (old.signed_at IS DISTINCT FROM new.signed_at)) OR (old.signed_by IS DISTINCT FROM new.signed_by)) OR (old.reviewers IS DISTINCT FROM new.reviewers)) OR (old.declared IS DISTINCT FROM new.declared)) OR (old.about IS DISTINCT FROM new.about)) OR (old.undecided IS DISTINCT FROM new.undecided)) OR (old."only" IS DISTINCT FROM new."only")))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.reviews ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: role_juniors kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.role_juniors FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR (((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.system IS DISTINCT FROM new.system)) OR (old.role IS DISTINCT FROM new.role)) OR (old.junior IS DISTINCT FROM new.junior)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.role_juniors ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: role_parts kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.role_parts FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR ((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.whole IS DISTINCT FROM new.whole)) OR (old.part IS DISTINCT FROM new.part)) OR (old.took IS DISTINCT FROM new.took)) OR (old.combined_at IS DISTINCT FROM new.combined_at)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.role_parts ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: role_permissions kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.role_permissions FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR (((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.system IS DISTINCT FROM new.system)) OR (old.role IS DISTINCT FROM new.role)) OR (old.action IS DISTINCT FROM new.action)) OR (old.resource IS DISTINCT FROM new.resource)) OR (old.effect IS DISTINCT FROM new.effect)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.role_permissions ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: roles kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.roles FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR (((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.system IS DISTINCT FROM new.system)) OR (old.role IS DISTINCT FROM new.role)) OR (old.title IS DISTINCT FROM new.title)) OR (old.owner IS DISTINCT FROM new.owner)) OR (old.active IS DISTINCT FROM new.active)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.roles ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: settings kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.settings FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR (((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.file IS DISTINCT FROM new.file)) OR (old.digest IS DISTINCT FROM new.digest)) OR (old.text IS DISTINCT FROM new.text)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.settings ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: systems kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.systems FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR ((((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.system IS DISTINCT FROM new.system)) OR (old.title IS DISTINCT FROM new.title)) OR (old.owner IS DISTINCT FROM new.owner)) OR (old.combining IS DISTINCT FROM new.combining)) OR (old.inherit IS DISTINCT FROM new.inherit)) OR (old.gates IS DISTINCT FROM new.gates)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.systems ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: ties kathodos_is_changed; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.ties FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR ((((((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.account IS DISTINCT FROM new.account)) OR (old.identity IS DISTINCT FROM new.identity)) OR (old.how IS DISTINCT FROM new.how)) OR (old.tied_by IS DISTINCT FROM new.tied_by)) OR (old.tied_at IS DISTINCT FROM new.tied_at)) OR (old.reason IS DISTINCT FROM new.reason)) OR (old.said IS DISTINCT FROM new.said)) OR (old.responsible IS DISTINCT FROM new.responsible)))) EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.ties ENABLE ALWAYS TRIGGER kathodos_is_changed;


--
-- Name: accounts kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.accounts FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.accounts ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: actions kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.actions FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.actions ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: activity kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.activity FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.activity ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: areas kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.areas FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.areas ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: baselines kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.baselines FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.baselines ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: change_edits kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.change_edits FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.change_edits ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: changes kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.changes FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.changes ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: claims kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.claims FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.claims ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: confirmations kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.confirmations FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.confirmations ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: controls kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.controls FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.controls ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: covers kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.covers FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.covers ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: decisions kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.decisions FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.decisions ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: grants kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.grants FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.grants ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: groups kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.groups FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.groups ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: identities kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.identities FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.identities ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: kit_entries kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.kit_entries FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.kit_entries ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: kits kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.kits FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.kits ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: ledger kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.ledger FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.ledger ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: ledger_heads kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.ledger_heads FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.ledger_heads ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: ledger_tree kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.ledger_tree FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.ledger_tree ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: ledger_versions kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.ledger_versions FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.ledger_versions ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: mandates kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.mandates FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.mandates ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: members kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.members FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.members ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: merges kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.merges FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.merges ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: orders kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.orders FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.orders ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: problems kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.problems FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.problems ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: request_items kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.request_items FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.request_items ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: request_remarks kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.request_remarks FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.request_remarks ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: request_steps kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.request_steps FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.request_steps ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: requests kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.requests FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.requests ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: resources kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.resources FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.resources ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: returned kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.returned FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.returned ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: review_lines kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.review_lines FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.review_lines ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: review_remarks kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.review_remarks FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.review_remarks ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: review_things kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.review_things FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.review_things ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: reviews kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.reviews FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.reviews ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: role_juniors kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.role_juniors FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.role_juniors ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: role_parts kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.role_parts FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.role_parts ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: role_permissions kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.role_permissions FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.role_permissions ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: roles kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.roles FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.roles ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: settings kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.settings FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.settings ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: systems kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.systems FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.systems ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- Name: ties kathodos_is_taken_away; Type: TRIGGER; Schema: public; Owner: -
--

CREATE TRIGGER kathodos_is_taken_away BEFORE DELETE OR TRUNCATE ON public.ties FOR EACH STATEMENT EXECUTE FUNCTION public.kathodos_keeps_history();

ALTER TABLE public.ties ENABLE ALWAYS TRIGGER kathodos_is_taken_away;


--
-- PostgreSQL database dump complete
--


