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
    stands_out text
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

INSERT INTO public.ledger VALUES (1, '2026-06-01T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'gather', '["source:files"]', '', '{"source":"files","digest":"96301dc1aab6e75bbcae53951ee1564157b940e05119aeee4a9fd6acb4188989","counts":{"systems":[2,0,0,0,0],"identities":[7,0,0,0,0],"accounts":[5,0,0,0,0],"groups":[2,0,0,0,0],"members":[2,0,0,0,0],"roles":[4,0,0,0,0],"role_juniors":[1,0,0,0,0],"actions":[3,0,0,0,0],"role_permissions":[4,0,0,0,0],"resources":[4,0,0,0,0],"areas":[1,0,0,0,0],"grants":[8,0,0,0,1],"mandates":[1,0,0,0,1],"activity":[3,0,0,0,0]},"columns":{"systems":["owner","system","title"],"identities":["department","email","id","manager","name","site","status","title"],"accounts":["identity","last_login","login","status","system"],"groups":["filter","group","system","title"],"members":["group","member","system"],"roles":["active","role","system","title"],"role_juniors":["junior","role","system"],"actions":["action","implies","kind","system"],"role_permissions":["action","effect","resource","role","system"],"resources":["detached","refers","resource","sensitivity","site","tags","type"],"areas":["area","except","filter","resources"],"grants":["effect","from","given_at","given_by","gives","grant","holder","last_used","on","reason","tier","until"],"mandates":["area","for","holder","may","roles"],"activity":["account","action","count","record","resource","task","time"]}}', '{"accounts":{"opened":"1-5","closed":"","digest":"0c0051607e4ca6b4c7a1ef4c107bbef03e2946584f4435634a7fb7b056f7a53c"},"actions":{"opened":"1-3","closed":"","digest":"df3d51150f804e6540ccb41723983594fa7f91f82a555eccfb9717965a7ae983"},"activity":{"opened":"1-3","closed":"","digest":"da21663b41e7c01a5a10fc171ceae97ce7ad802de4b33c24f26376dd5d66aab7"},"areas":{"opened":"1","closed":"","digest":"0e72487b7220829fccbb12d10725bd559bb80ca8c4b4dac97b50afc8a7a96567"},"grants":{"opened":"1-8","closed":"","digest":"13c303a9b3094ad23743bd9f48649d9531e9f06b5c126eda63b71007e8848e8a"},"groups":{"opened":"1-2","closed":"","digest":"d5c52944402f8446d7966d3a2bc9656761ddbd794b5dc02e74aa5fbf13c30f29"},"identities":{"opened":"1-7","closed":"","digest":"b21768374f9e4cf4ecd6c40417a82f0553f87eeba4d7ea6d3a05cc07275a28b0"},"mandates":{"opened":"1","closed":"","digest":"9eef89967171453f640939def1d5d2cea37b7e6edfbb3331d4da91d9f15cac29"},"members":{"opened":"1-2","closed":"","digest":"1ad0b408d3d8485c069df07e40464a2c6021cf0b1f62a7aa3807f87ed9e7f762"},"problems":{"opened":"1-3","closed":"","digest":"07ff9bc4574f395e73a12d16b76a4ba5187914abab7478a4f1d44fd868fcbfc6"},"resources":{"opened":"1-4","closed":"","digest":"4396d38a1ea075223fb57dfd9f6deaf22a1833b8a8a2f9809e96441fe131796d"},"role_juniors":{"opened":"1","closed":"","digest":"6ec45ca7766eb21598527c2db52618275e290babe77e08706aab5b30dedeb966"},"role_permissions":{"opened":"1-4","closed":"","digest":"e3b283f00fb35bc9f4a089ab9859563fc5337d1f500da520ff28b63818b37c0a"},"roles":{"opened":"1-4","closed":"","digest":"8afeb7d29b17856d7ccf6545e99707b5df4eee217faa934d623d5f49e65db7ba"},"settings":{"opened":"1-5","closed":"","digest":"15cd12458fcd389a3cd40b400d39353771083627adbe1a0f18ca9037ea3b427e"},"systems":{"opened":"1-2","closed":"","digest":"eff2fe1527fbdb91d4f2b11e3c7c236b3d3d07fcdd62771870863fa21b3a9fea"}}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x81b4766641dd9390dbe568b72eb676b3480b490bb8dd1dd2fe921eecb862de9d');
INSERT INTO public.ledger VALUES (2, '2026-06-01T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'gather', '["source:hr"]', '', '{"source":"hr","digest":"68e5b7c754bba3a3594adf3ea14cafb68d9a17dd3aa39167116e3b2357765e6d","counts":{"identities":[0,1,0,0,0]},"columns":{"identities":["department","id","name"]}}', '{"claims":{"opened":"1-2","closed":"","digest":"8c17350437a0288a8b5b52d3f41bc8f04b132e91f03b85e56658f522b6b096f8"},"identities":{"opened":"8","closed":"2","digest":"3a6622499292d1d0b90d3e2a62386a232a9a4d42853723a276956b39b06cdd01"}}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\xfa833326a07f5c7266c1a08d7493e2c32f4a36c9ed9607364aa124f2c61488f1');
INSERT INTO public.ledger VALUES (3, '2026-06-01T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'baseline mark', '["baseline:first"]', 'the first state', '{"baseline":"first","entry":2}', '{"baselines":{"opened":"1","closed":"","digest":"28b5eaaffce1080b8a5bb8e5e277a5c1b98f5fe933b44616a48ec039a6bf7adc"}}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x56b0e9c174db43abee05289723b4285a5863a4cee496a1a63fb63f369e01903c');
INSERT INTO public.ledger VALUES (4, '2026-06-01T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'tie', '["account:dues/bo1","identity:bo"]', 'asked him', '{}', '{"accounts":{"opened":"6","closed":"2","digest":"4055b07efda08e6301f4b7b40eb6b0883c220eef8887ecf0d33ce53e17d14bd3"},"ties":{"opened":"1","closed":"","digest":"7081fbd5c86291ac36cf670644f13bd529b130d1fd670424f9eacad5ac6572fe"}}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x593428572311d93e9f150076d83716ec05dde0e1c6826321dec20d70b7260ad2');
INSERT INTO public.ledger VALUES (5, '2026-06-01T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'tie', '["account:dues/shared","identity:head"]', '', '{}', '{"ties":{"opened":"2","closed":"","digest":"061f768a6d85210f2c3470dda0d04326e29455501548dbeac56548794009e4da"}}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x3e277f5da5dc15256fad16fc593a0c9a239e8b032b7c5a2eef8676e058ea78ab');
INSERT INTO public.ledger VALUES (6, '2026-06-01T09:00:00Z', 'head', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'control add', '["control:C-2","identity:head"]', '', '{"control":"C-2","period":"P30D"}', '{"controls":{"opened":"1","closed":"","digest":"aa74d78150082131755fc3d9f0669e0a00ef5e41c8f2241feb732afe9ab980c3"}}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\xbc96dcf6daf606cef0bb976d6e29d1cd7dba619a168b4407efa872e4c7df3321');
INSERT INTO public.ledger VALUES (7, '2026-06-01T09:00:00Z', 'head', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'control confirm', '["control:C-1"]', 'nothing found', '{"control":"C-1"}', '{"confirmations":{"opened":"1","closed":"","digest":"a5b04aa62807c32dc736254fec9e81a2cfc6cfa66b6ed7bc57908026537335ad"}}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\xc66a2f7788b973ae87844f52043680f2d881d6271e6c8a6d950cf09c1eb19667');
INSERT INTO public.ledger VALUES (8, '2026-06-01T09:00:00Z', 'head', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'cover', '["control:C-1","identity:ann","rule:D-1"]', 'no second clerk', '{"conflict":"D-1/ann","control":"C-1","until":"2026-12-31"}', '{"covers":{"opened":"1","closed":"","digest":"e7f47b2e19f89c9603e21ef80e7c67e984777c02e98716ef893a72c23e422d43"}}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x5db8267d9f184699e017dc670a497d970f93d1fd7ee0302f38295eeaf404d9a3');
INSERT INTO public.ledger VALUES (9, '2026-06-01T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'change apply', '["change:kit-quay-summer","kit:quay-summer","role:dues/reader"]', 'the season', '{"change":"kit-quay-summer","edits":3,"effect":"fe6a23f86de9f4d94b0a59a9773465966255aa852fea4fa981303ce49166462b","edited":3}', '{"change_edits":{"opened":"1-3","closed":"","digest":"c0cc2818c3ae05c139420c20a19d41705b414b1edc73958aaf5377ac3abd3df6"},"changes":{"opened":"1","closed":"","digest":"a8688e3f3855e0a14c2b75e8856f8e304bbc412aae80d1223078d3ccac5754c7"},"kit_entries":{"opened":"1-2","closed":"","digest":"580b479c10a0f57294aee054ef7bd16098c2d070dffdd83631723d3c02361bf5"},"kits":{"opened":"1","closed":"","digest":"5dc35ff52aaa19ef87845ec4935294096bafaee4f25406be7fdb5cddef03df41"}}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x4232e524eacfe32cfc24c6cf0b6f4a4817bc30a1385fe3f44976816e4c096012');
INSERT INTO public.ledger VALUES (10, '2026-06-02T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'review open', '["review:spring"]', '', '{"review":"spring","lines":5,"due":"2026-06-30"}', '{"review_lines":{"opened":"1-5","closed":"","digest":"52b693083ecfe2ab4ba3eb8d754efe4b1cf94528d0fc45504781ee9201c84810"},"review_things":{"opened":"1-4","closed":"","digest":"97e220dbc41db5aeaab0b3529713da6506f859311d1936921507604c512d45e7"},"reviews":{"opened":"1","closed":"","digest":"ffb599b9b8cb88346fa2998dd6293f14f8641b4f420678d748c010e7bff38335"}}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\xf3bbcfefe74dd46ac4f728e1598628f9dca38a1fc359423794f202764d4023be');
INSERT INTO public.ledger VALUES (11, '2026-06-02T09:00:00Z', 'head', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'review remark', '["identity:bo","review:spring"]', '', '{"review":"spring","sort":"question","whom":"ann","lines":"1"}', '{"review_remarks":{"opened":"1","closed":"","digest":"cafdab54bc35bd3815e8dedbd8a9e083b24b1df6c6af16a1a1e1b9cfebf41ba6"}}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\xfaaab92c4866c0313e3961666d37705bf920341bf705927e5d892faa8fcf8f47');
INSERT INTO public.ledger VALUES (12, '2026-06-02T09:00:00Z', 'ann', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'review remark', '["identity:bo","review:spring"]', '', '{"review":"spring","sort":"answer","whom":"","lines":"1"}', '{"review_remarks":{"opened":"2","closed":"","digest":"4b599ecd0a5ec753e2ad1f554d7b172ea649afbe9667f4598b7320d1b6c2d4ef"}}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x7ea0164f2fd4c49826faa78e90bad011a8c44d7b7a032f7feb80273592591de1');
INSERT INTO public.ledger VALUES (13, '2026-06-02T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'review packets', '["review:spring"]', '', '{"review":"spring","reviewers":1,"lines":5,"seals":"425c09b0cbd18007e47c051f1927ea2cee79926f2b2f0f070555cae9f81b1774"}', '{}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x35feb3f9a4d493c2bc4f2de1dc8212f25604e247522fbcd9490bcca5bba556f0');
INSERT INTO public.ledger VALUES (14, '2026-06-15T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'review take', '["identity:ann","review:spring"]', '', '{"review":"spring","files":[["4a5a8a506e759b3a9987a6ced860e89f2a24c6f3eecd31939f30931655883ae4","head",1]]}', '{"decisions":{"opened":"1","closed":"","digest":"50af4a5d8466e27f1693c08b40ce0cbc39290c719df943f0a69a3e78cf08abb8"}}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x6135373d097130265c667e6d975113cd9781005bb0e1452524f2a1a901f778d0');
INSERT INTO public.ledger VALUES (15, '2026-06-15T09:00:00Z', 'head', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'review decide', '["identity:ann","identity:bo","identity:gone","identity:twice","review:spring"]', 'seen', '{"review":"spring","decision":"certify","lines":"1-4"}', '{"decisions":{"opened":"2-5","closed":"","digest":"3842e3ef07f61fcf212bb2e1e3e1dfa4a39d502f0a54941331c093967c4942b3"}}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x37fc0c50a4913eece93fdb6e9c4c842fce03deb288cc72d910148c0f8cfb81c9');
INSERT INTO public.ledger VALUES (16, '2026-06-15T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'review close', '["change:review-spring","grant:g2","identity:ann","review:spring","role:dues/waiver"]', 'spring review', '{"review":"spring","certified":"1-4","revoked":"5","left_open":"","ended":["grant:g2"]}', '{"change_edits":{"opened":"4","closed":"","digest":"002d5c29da7ad7befba822ab832b8064d4c82133bf19fab9aaa88801555646f1"},"changes":{"opened":"2","closed":"","digest":"8f755bc6bed1d66d7730a6955f8ff9df41e0d9b174c62816ceab0287c9e8678a"},"decisions":{"opened":"6-10","closed":"1-5","digest":"95449cbeec76fdb11072994f4f4eae92a8f9a2e9f385cadd1cfe9166ec8b3e04"},"orders":{"opened":"1","closed":"","digest":"0b35d5f035144bbcd64d1e87e0b8881c2d114ab36e224a58b517675c329816ad"},"reviews":{"opened":"2","closed":"1","digest":"d26b4df9ce85cb14845a5e5faf5f591568cce7987d348450f2be5b8307ada430"}}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x64922361d4677d6bc2f193966a86850293c23b1150fdfd8bc324760db5aac046');
INSERT INTO public.ledger VALUES (17, '2026-06-15T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'orders', '["order:1"]', '', '{"state":"handed over","orders":[1]}', '{"orders":{"opened":"2","closed":"1","digest":"efdf659a41c117150755f2fa30647eb14062008a7174ee526db888ae7b5161ff"}}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x0fe302003f91b613d1e08efdae5d7048d45aa001f41871d17b3f0ea479a9838f');
INSERT INTO public.ledger VALUES (18, '2026-06-15T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'gather', '["order:1","source:files"]', '', '{"source":"files","digest":"9ace9b6fc01c2ffe4e868ab81c42bcb0b3fc1469224d18a4d0a54f0c6e54268f","counts":{"systems":[0,0,0,2,0],"identities":[0,0,0,7,0],"accounts":[0,0,0,5,0],"groups":[0,0,0,2,0],"members":[0,0,0,2,0],"roles":[0,0,0,4,0],"role_juniors":[0,0,0,1,0],"actions":[0,0,0,3,0],"role_permissions":[0,0,0,4,0],"resources":[0,0,0,4,0],"areas":[0,0,0,1,0],"grants":[0,0,1,7,1],"mandates":[0,0,0,1,1],"activity":[0,0,0,3,0]},"columns":{"systems":["owner","system","title"],"identities":["department","email","id","manager","name","site","status","title"],"accounts":["identity","last_login","login","status","system"],"groups":["filter","group","system","title"],"members":["group","member","system"],"roles":["active","role","system","title"],"role_juniors":["junior","role","system"],"actions":["action","implies","kind","system"],"role_permissions":["action","effect","resource","role","system"],"resources":["detached","refers","resource","sensitivity","site","tags","type"],"areas":["area","except","filter","resources"],"grants":["effect","from","given_at","given_by","gives","grant","holder","last_used","on","reason","tier","until"],"mandates":["area","for","holder","may","roles"],"activity":["account","action","count","record","resource","task","time"]}}', '{"changes":{"opened":"3","closed":"2","digest":"eefd948bff84a8cecb20dd50c5c4a888c762c2b362eeb334117fc3ad1a42060d"},"grants":{"opened":"","closed":"2","digest":"e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855"},"orders":{"opened":"3","closed":"2","digest":"e1fcc707dbb6fd1270b980269c8767d754aa0183858e6497cb5942f56c8bb166"},"problems":{"opened":"4","closed":"2","digest":"b26629e36ab5be08c964881f420966eaec91cdfc7d3f565aa3144428bbf77fa1"}}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x43ba86c6060e13ca776e6d86d1efba20348dfee4d692c343f3780031a9b3fc58');
INSERT INTO public.ledger VALUES (19, '2026-06-15T09:00:00Z', 'head', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'change apply', '["change:change-1","grant:g-yja4jzrqg3dd","identity:cy","role:dues/waiver"]', 'stands in', '{"change":"change-1","edits":1,"effect":"8f6829a2db4ddadd2eafb0db19ba8795666af2bc6e9b9fa35445b2c12f411f80","gained":6,"ordered":1}', '{"change_edits":{"opened":"5","closed":"","digest":"d30461df28579aab96cc19c514516089874a2d2dbe3e633b497e996709fe0f94"},"changes":{"opened":"4","closed":"","digest":"79995e988f5754ce212162d3980f0163129a49e5367165a02e947c8c2727cc6f"},"orders":{"opened":"4","closed":"","digest":"15ecaf0825009f4cc6b712f6e44475584f8f934a9521d96b360ad7a6da14beb3"}}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\xf1c63c48b27c3b8a268773fbfe15d60edb017679f29bbc9608b2fd6c98e3d4aa');
INSERT INTO public.ledger VALUES (20, '2026-06-15T09:00:00Z', 'head', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'change compose', '["change:idea","grant:g-unyqhvz72gh5","identity:bo","role:dues/setter"]', '', '{"change":"idea","edits":1}', '{"change_edits":{"opened":"6","closed":"","digest":"a1dfb91c58b5d7884849f3d14cd88ee4689b7905e48bd91596fd30c2ae854bea"},"changes":{"opened":"5","closed":"","digest":"05f41ba5d215657277f4b429bc31227ff028c77de96f18a804a4ba07adbdabda"}}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x19946ec6060ff4c430f3da0603f8db0474f94c37463233d4fb9d913feb5c01bf');
INSERT INTO public.ledger VALUES (21, '2026-06-15T09:00:00Z', 'head', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'change apply', '["change:change-2","role:dues/all"]', '', '{"change":"change-2","edits":7,"effect":"0c9418557169c223f7eb8fe037b3dbea6814a54384c46ca03531cb17bf13eaa0","ordered":5,"edited":2}', '{"change_edits":{"opened":"7-13","closed":"","digest":"c3985f29d720f81cf524502f27872e084a680044b7740c987531be1fb11d14bc"},"changes":{"opened":"6","closed":"","digest":"be16f5501bc105ff7233fe74f0bcc0384cd1921cb0b06b3ce60a418650272681"},"orders":{"opened":"5-9","closed":"","digest":"724bd3da7abe2d63b2309a79058c296891fbec778f4d929284f7415aa9089355"},"role_parts":{"opened":"1-2","closed":"","digest":"c79fbc903065b17f8ac42d71d5d431bd43fa804dcb0b8509a5624767033b2d3a"}}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x1fef666b74f6c4c24f1cc140ef07910d373e2a0bfe8392bed3a9b0db4d6c2b9a');
INSERT INTO public.ledger VALUES (22, '2026-06-15T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'merge', '["identity:bo","identity:twice"]', 'one person', '{"identity":"twice","into":"bo","moved":{"grants":1}}', '{"grants":{"opened":"9","closed":"8","digest":"0a234f1a48faaf54ab5cecdc0bc5a92ddc2cd20572f62c5dcfbff5673edbcead"},"identities":{"opened":"","closed":"5","digest":"e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855"},"merges":{"opened":"1","closed":"","digest":"7a199717b6391866389b7013481d169829d80942db07a74a6411d031b8f96942"}}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\xfefc565d22f15fd6a76b608fc68671c7cc8b094084b170565d04fb31198831bb');
INSERT INTO public.ledger VALUES (23, '2026-06-15T09:00:00Z', 'ann', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'request ask', '["identity:ann","kit:quay-summer","request:1"]', 'rota', '{"requests":"1","decision":"ask","whom":"ann"}', '{"request_steps":{"opened":"1","closed":"","digest":"08c06f50e7ece541cc71366dbaa5bc0755c24f5785933d8cbb13b64cf1a21842"},"requests":{"opened":"1","closed":"","digest":"6c269aa1852cbeb8620d3aeb5ea2d4a5d628f6bd36c372284b6a6736416b1eae"}}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x9a2a4f771c4e5bee3e6c372970a6f0bfb54cec57ac6bf23b830e124c2fc6683f');
INSERT INTO public.ledger VALUES (24, '2026-06-15T09:00:00Z', 'head', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'request remark', '["identity:ann","kit:quay-summer","request:1"]', '', '{"requests":"1","decision":"question","whom":"ann"}', '{"request_remarks":{"opened":"1","closed":"","digest":"0c0258119e216158760f52a09734ab13792db8e69fc9d04e667820fdf47bdaa1"}}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x4e14ee33eaec2db555eeaac3fa8f7a12957b69ae01c218b67a1acfab2192249c');
INSERT INTO public.ledger VALUES (25, '2026-06-15T09:00:00Z', 'ann', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'request remark', '["identity:ann","kit:quay-summer","request:1"]', '', '{"requests":"1","decision":"answer","whom":"ann"}', '{"request_remarks":{"opened":"2","closed":"","digest":"0a2eddd8f936c7f4fd41ee73236e630181e2447ec0066e2fb4fcb29fab82ec4d"}}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\xe945556fb0a72c43b29929f654b67817776a0b5a7a07dd1b2752f1933625da1f');
INSERT INTO public.ledger VALUES (26, '2026-06-15T09:00:00Z', 'head', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'request decide', '["identity:ann","kit:quay-summer","request:1"]', 'for the summer', '{"requests":"1","decision":"grant","whom":"ann","step":1,"effect":"4d3e1e6f25fbb18bd1764b4148d8fec5345a5506ad1bb867d438b8c7a860edeb","change":"request-1","ordered":2}', '{"change_edits":{"opened":"14-15","closed":"","digest":"8a826d9c73f8941d919df7618c35d0018db2ad07ec5d44cb809c9af3651c5f55"},"changes":{"opened":"7","closed":"","digest":"3ffe72152d7e5ee0b7ff0533d1d5aabf3a0a2b51a7f95aff1b3b7177927358b5"},"orders":{"opened":"10-11","closed":"","digest":"3e1f82f1fc890a7ba37a7d4ec9fc18231e7d254d859eab379c395883fa54e6a3"},"request_items":{"opened":"1-2","closed":"","digest":"77ad8aab19dc14d090b9c5aad0425195b3b99416a8f3305e6794c77fe8871753"},"request_steps":{"opened":"2","closed":"1","digest":"d3873f05220dd40615ee2595216e1345ad601b6af337129fede7a14071604153"},"requests":{"opened":"2","closed":"1","digest":"e84ef124cd5fb9ae1a056011687ed8f9af5c51ae1c6ea717a6556b003db8d32b"}}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x91a48db3be86a651c3d316c3083dac8433601cc60436714fba61bd27b6840c88');
INSERT INTO public.ledger VALUES (27, '2026-06-15T09:00:00Z', 'cy', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'request ask', '["identity:cy","request:2"]', 'curious', '{"requests":"2","decision":"ask","whom":"cy"}', '{"request_steps":{"opened":"3","closed":"","digest":"f6f1d7a320e2d6e1206f0d143a1f1b3f59c7f830aca6ed3f114a137db6bbc8eb"},"requests":{"opened":"3","closed":"","digest":"2accc980564f71cd4b9d1c009f99fc31118c5207378e113d67985601634935c9"}}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x7967c79e2f4c31b1046fc5787502f68ffc221e0db80b84ca315c5deeee5547d6');
INSERT INTO public.ledger VALUES (28, '2026-06-15T09:00:00Z', 'head', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'request decide', '["identity:cy","request:2"]', 'not needed', '{"requests":"2","decision":"deny","whom":"cy","step":1}', '{"request_steps":{"opened":"4","closed":"3","digest":"5f3d7ae50ef4df6e9f4e4a20e86a87db4e69136eed3b559f22d4d942402cccd3"},"requests":{"opened":"4","closed":"3","digest":"440a35524be5da9e936b13919ab5f6d1a104a2194b41488a518a97dfe8a0cb93"}}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x739120d49f62b848803163a1e76abe359ec5ec47de09fb52e0f663f1340dc4d4');
INSERT INTO public.ledger VALUES (29, '2026-06-15T09:00:00Z', 'cy', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'request ask', '["identity:cy","request:3"]', 'stands in', '{"requests":"3","decision":"ask","whom":"cy"}', '{"request_steps":{"opened":"5","closed":"","digest":"7e92f998a7008192a69c5328db25d88b0be00eac8be0c70a9f8b53bc350c35e9"},"requests":{"opened":"5","closed":"","digest":"a9a2cb82627bd4f9ab386a11fe9cc563fa3e7e1f208bec11aeda336ca9eabbb4"}}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\xa242ef89fdbb3938bf675c44f8e78f210d763b2a64d5b885f522be9ae4576e9c');
INSERT INTO public.ledger VALUES (30, '2026-06-20T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'gather', '["source:files"]', '', '{"source":"files","digest":"96301dc1aab6e75bbcae53951ee1564157b940e05119aeee4a9fd6acb4188989","counts":{"systems":[0,0,0,2,0],"identities":[0,0,0,6,0],"accounts":[0,0,0,5,0],"groups":[0,0,0,2,0],"members":[0,0,0,2,0],"roles":[0,0,0,4,0],"role_juniors":[0,0,0,1,0],"actions":[0,0,0,3,0],"role_permissions":[0,0,0,4,0],"resources":[0,0,0,4,0],"areas":[0,0,0,1,0],"grants":[1,0,0,7,1],"mandates":[0,0,0,1,1],"activity":[0,0,0,3,0]},"columns":{"systems":["owner","system","title"],"identities":["department","email","id","manager","name","site","status","title"],"accounts":["identity","last_login","login","status","system"],"groups":["filter","group","system","title"],"members":["group","member","system"],"roles":["active","role","system","title"],"role_juniors":["junior","role","system"],"actions":["action","implies","kind","system"],"role_permissions":["action","effect","resource","role","system"],"resources":["detached","refers","resource","sensitivity","site","tags","type"],"areas":["area","except","filter","resources"],"grants":["effect","from","given_at","given_by","gives","grant","holder","last_used","on","reason","tier","until"],"mandates":["area","for","holder","may","roles"],"activity":["account","action","count","record","resource","task","time"]}}', '{"grants":{"opened":"10","closed":"","digest":"82f671a2e434a95c5720886639562659198468aef3747dbcfccb3b0d80da9129"},"problems":{"opened":"5","closed":"4","digest":"d58e841cef5f76aad51708a4c94c6ee38a4e640ee4d96b26cf995154671a70f9"},"returned":{"opened":"1","closed":"","digest":"c05da586eb12d8c1543395192b5499396a646e0764a9d0019856c15b63c08de9"}}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x66527de6462011a7a9b5bef39f4d64aaad21c9bfd4a98ba272c41bc3faf860a9');
INSERT INTO public.ledger VALUES (31, '2026-06-20T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'review open', '["review:summer"]', '', '{"review":"summer","lines":5,"due":"2026-07-31"}', '{"review_lines":{"opened":"6-10","closed":"","digest":"65026314a65baaae353dbe965b48810c0d72341c20ba05e5289b9cdc07f70c6a"},"review_things":{"opened":"5-8","closed":"","digest":"11207e5ed67b6c67191d1625436cb240fcc9103a33e13b702d6d5cdf60b30fe5"},"reviews":{"opened":"3","closed":"","digest":"3febf1b6fb6e1d8c6c80aba4c9c5797879a80a92e67f02104a7d1a906b04cde1"}}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x6d41a962d1e4f294b0a145230776fe24593fde1ff1db245b479db5894c8114f9');
INSERT INTO public.ledger VALUES (32, '2026-06-20T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'review packets', '["review:summer"]', '', '{"review":"summer","reviewers":1,"lines":5,"seals":"5cccf604a958f7db96b30bdb89914289126457ccb65656bcd61374b05fd47808"}', '{}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x1476c85cb45704a48493719d6679ede07bd194afbf3993bbf047a0d9a9102946');
INSERT INTO public.ledger VALUES (33, '2026-06-20T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'request packets', '[]', '', '{"approvers":1,"requests":1,"seals":"ed7b367f830cbbd9fa5425f7ddbf05e9642e9c1769ad844424c1f437af9a30b4"}', '{}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\xe434fc773aa8c973d2862dbe203703480e9fb07f51fd45c1e87dd2e3b48464c0');
INSERT INTO public.ledger VALUES (34, '2026-06-20T09:00:00Z', 'r.lund', '{"user":"ragna","host":"quay-7","program":"0.2.0","store":"2","clock":"KATHODOS_NOW"}', 'baseline mark', '["baseline:last"]', '', '{"baseline":"last","entry":33}', '{"baselines":{"opened":"2","closed":"","digest":"118517387ad5353132672ceae083ad7b06e21cdd85cbf323575a7187ffbbda60"}}', '{"configuration":"65854371b62377181b5c65f7237cb5516f12b0b4c259425097ecd34e56bd8102","rules":"3ec21db4f36792715debe0061f2fab53af64e1fd12182cd7e33da4ce71919b55","controls":"cea28b06661492f5b3281e687f879a64e693bb514c310cfa32e2ba1c9a95a105"}', '', '\x734d72e7270ee7c5316e3439205825712e6f5fd5652fdb4174e7aa2f36cfc96b');


--
-- Data for Name: ledger_heads; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.ledger_heads VALUES (1, '2026-06-01T09:00:00Z', '\x81b4766641dd9390dbe568b72eb676b3480b490bb8dd1dd2fe921eecb862de9d', '\x80531e333557f70ba5d736a74a4108b8d02f2396588d9a6fff673c0364bd9ff0d5c94c408e663a5feb5687e18ec4aa3ba082a50ad4c52d3e26307c127f87630f');
INSERT INTO public.ledger_heads VALUES (2, '2026-06-01T09:00:00Z', '\xfcd9a16cba48f6934dc1c9d359d79ac07131653ca41902e1cc8fed35599d908d', '\xf3a3f155cd9b952e0044f146e52ec2ce739d3eaf437f9c4818ee90639fa05007daff7dc23f7b8b28b4cdc9c5db072632d78b851bb458a5ed476f0c9e5b9b390d');
INSERT INTO public.ledger_heads VALUES (3, '2026-06-01T09:00:00Z', '\xb9a5868de30ee4d41e27b2e77d42567f615a6d1c2a4abce5f0c34ac82220b44c', '\xde9f414488acd78c2127c46ce2e1e33fa8f08cf13503f979bfc17d57dee470068671b13ef662c81659a68219e49ac50d9e36db1e16e16f929d29379269abf109');
INSERT INTO public.ledger_heads VALUES (4, '2026-06-01T09:00:00Z', '\xc47875c10eaa2481a3ddc552167617fa95f0466b0efdcfbda9f02919c14421ee', '\xb5d4852c128a66a83258ed7ee73abaf5212a62a1d14603f90d53cd2615dcc77a644cb3a5e0dc02f3f820207972b307177cad204a6fa97cddcbaad48fdf1e670e');
INSERT INTO public.ledger_heads VALUES (5, '2026-06-01T09:00:00Z', '\x11f411389da135fdaaf297195b36c4753035623f4c793b2fc935420a971b34f0', '\xd920ce1799bd1c621b194720ef7f1b82a4b53880029d76d558a03c9f8bf151368d2a48d20dfbde6da3287ffc19b572a844fec47f4c17003ab51ef3194bbde90d');
INSERT INTO public.ledger_heads VALUES (6, '2026-06-01T09:00:00Z', '\xe338ada00b27bf96a880ef97c0718551fdc71acf23b539013a6b8ffab3424921', '\x043361d79a6ff026bdaa85fea05e6d301966ddf16cccbfc589e95c1b492013998aae9866d183fc21645f70067ec9b44c6d49275d068def5b01d5d739e059bf0e');
INSERT INTO public.ledger_heads VALUES (7, '2026-06-01T09:00:00Z', '\xb9fa87758593a970015391fc0dcbbb3d067d182aca2291ee6464f3b405fadf2e', '\x700e13be0fe6f4711449a0e38a4bfd5f92c91e9e79d3f718ca1f0d457c21d1d3e1659419a281b7dcac30697425d8f4b547203da553787313259d2095d4249606');
INSERT INTO public.ledger_heads VALUES (8, '2026-06-01T09:00:00Z', '\xf7378e05394ad21de226295093dec704d116cd40ec574efac401e2eba9f2c974', '\xfa08655960db6c1d9438ff0ad9d75a765a29d8bfc4704dcbd75340c4b3ab1d712d2c5d927a9cd2dcdd91dc8313f63397ed131442dc413bb903ce8005482c1d02');
INSERT INTO public.ledger_heads VALUES (9, '2026-06-01T09:00:00Z', '\xace5bce6df89016388fcc730dc58cb3adb5b252c3dd81e5f7c384576e0762f41', '\x6fcfd93de644d0fc542463a6b8e856da7a109f6e2105202dea7f00a0a9c680b74e85efa6098db76bb66141c41859bc1f7bd46768f8915b36ea7838ce53db8a0f');
INSERT INTO public.ledger_heads VALUES (10, '2026-06-02T09:00:00Z', '\xd5c5897818422d94f24fd85050d2538f134e71211db069e3e0188abcc97edcb0', '\x86ce28e48e14615f0434cf8ad7da30910e79b2985f83f90010ef808f6ea742b04cbca02dcbe38df510180f3e7b8d1ef5cac3a543c78e31b92dbb561b2e44860a');
INSERT INTO public.ledger_heads VALUES (11, '2026-06-02T09:00:00Z', '\xec460776cef0a06de9522266c4251090ac1e159c85564b8021abdc37edf40d69', '\xfd6e75a4ee7976f33ddb2fb2e8b3a362ca43956adff7b24e0914dbbcc756dc697f78ac2f1537b21173aee1c54af393a32afdbe663b3a1df0a597c04faedd5308');
INSERT INTO public.ledger_heads VALUES (12, '2026-06-02T09:00:00Z', '\x8dad32d651a46b57e0a0355e144c823eb847d81d104481fb88625f6381170a4a', '\xaaa1f78998ae9fd2ffb77725645a49b42cd3b0dc2ee31d625eb38bbbd7e0f2a86c2b1d303b79d018771f91163877a5b105a8d60edbd7bb3e18bee1cd4854a603');
INSERT INTO public.ledger_heads VALUES (13, '2026-06-02T09:00:00Z', '\xb9d0749a94de958c2c1d506375549f0577e5c4ec973c64430e13adb605f7e56d', '\x8eadd7a3e3cefd5a51f9c8e187fe356204054f68af65cf1a8674dcbad4233ef50f1f414d343673af16f4121f2ae0f3699c29f5ba5ba232dc73b3531c811a830b');
INSERT INTO public.ledger_heads VALUES (14, '2026-06-15T09:00:00Z', '\x94c940ee80c53fdec479a69403cca5ac0a09634628defdcabd41bd30ecf35fc6', '\xc974b895ef626c4378119300d60bd40f2686c334c26008d88c8808ad94993d31dc45fde7c45f504723a1634e4be50dce471729a849d130a4b459175dcaaa4607');
INSERT INTO public.ledger_heads VALUES (15, '2026-06-15T09:00:00Z', '\x40458db716ea29d681b82b94b513d66e2d80adc1a3dd5009636fcb2a4689a3fb', '\xe0ae48c26a096777be88f790aa4de70252a734812500af1afb59f57ff8e0d47f8799565502141805767b460750e5f990b7c02441d6436ef1ad3b9e19f74f8a0b');
INSERT INTO public.ledger_heads VALUES (16, '2026-06-15T09:00:00Z', '\xdd7dd9f1f2695ff961c45e229fd2cbc350e0b2c9c149c1e377da2033a7cec0b3', '\xe4c5427b17c9e8080e8b0b48f5cb69e04f7db7c15eb5166c594cb47da4b31a772ff3d129b0feef436821bebb592d692c2aa045c0bff417de5ea8942d1f55600c');
INSERT INTO public.ledger_heads VALUES (17, '2026-06-15T09:00:00Z', '\xecca71f4ab24432953ea3550fcae5db110b12af7fe29622a3ed541a3455a9090', '\xa01c5d4bbd4ce08a4ce5dd3a57f92d86e0d47c4e4a4ae4c4998015b4511623e6f485218b061f4ff0298e5bb27498b311f615393a9d503c48147042eac5dc8b07');
INSERT INTO public.ledger_heads VALUES (18, '2026-06-15T09:00:00Z', '\x1b6e9933e4cf7176c108a92a659f1266e4c3e12272128c7cc66c4acf9f2661d4', '\x6a54482b56a03be7e6008159a55538ba3ed0daf619e1ab998d057f18b197502618156a6b7c9e48f32ed6a99ba48a3f11a1f9c65f825259d4ec1e691b039fb40c');
INSERT INTO public.ledger_heads VALUES (19, '2026-06-15T09:00:00Z', '\x7e13dd160fa1399c6529be4ec6efd1f0ea503879ec86d63d48052c0e952b19df', '\x0dde094c2a23c6c1cf4315e0973629c5f7c4acb28143219a9b5dd76f84f518e651648f1ee9b64098f4fee6b95a2f681ca23d67d12e92f3832801d3401676030a');
INSERT INTO public.ledger_heads VALUES (20, '2026-06-15T09:00:00Z', '\x92cae7ad123a7243d581f14f8aedd75ff680cb1796b3447c6d184097b8e59af8', '\x6d8f4266b90f47943295e1ae8ab190a1499c7ce57ec0f2bbf5d508303ad28a9e82a5b6400b92370883d737392f7414db4d553f6379fa72569207fa4a9fbb800c');
INSERT INTO public.ledger_heads VALUES (21, '2026-06-15T09:00:00Z', '\xe8de876241b8602b14aafff8b4749a95bd519c9ae4cea24dd9f3f3a9697a72a8', '\x2ea4cb2e85bd8d977a50d4de60b78c03a9e4d9ae70958cf95d92c6e08bb6d6ab014d5ca23bea0e583604a70e4d3a8c2428f89dff3c2b45e415b250546979f30b');
INSERT INTO public.ledger_heads VALUES (22, '2026-06-15T09:00:00Z', '\x24fc9602aa79f1db1dea0460d9c4a676c498ff987d2212706618e3924eef7a0a', '\x8bd847bf342c0fe201f99eda0c569a066d2604277413917326fa26be877d5ffa15253b16c49cde732fc488d876527a33f8a894a01c2aa10c27c0a8393e2a6000');
INSERT INTO public.ledger_heads VALUES (23, '2026-06-15T09:00:00Z', '\xbc2d09744714cd54cbe4180b6e57194bdca1aeba0715cae1b0164b3ec5a5c45e', '\xebeb7553aa11bbe233b0869aff2393f2c626c6a9afe4c6d88763026e36f1a9604c09b5104a7834359605778e4be694abc53316431b9a55049d6577d159912004');
INSERT INTO public.ledger_heads VALUES (24, '2026-06-15T09:00:00Z', '\x6079f9ec11e0d759a13c17d4c84364ac40df0cba7c1f3c343835b7b05535cdf3', '\x54fdf45f186409da18638eecc8954e2f0c1c3cd1d88c9428917dea01033bc6241659e3e88a7d3935ff8cbb6e24bdc1e55ac05f674ebe590714d02cf9c33d480d');
INSERT INTO public.ledger_heads VALUES (25, '2026-06-15T09:00:00Z', '\xeef1de7e4ad4f6450ad5d5c6e3c83cd3bff2fc2d33e77e1b3cd616c15c29279e', '\xeb1076918ffa74bb0f68268dbc2606dcd6cf0a8380802631b2f912f2cc5ea1cd8150b59a6cf9e686545a30d6fa7f65465da5ca642d6c7e28d927038d83232603');
INSERT INTO public.ledger_heads VALUES (26, '2026-06-15T09:00:00Z', '\xe64f2047eceab9c18490d539098b274e284f7dad51856dc8047eb8113869b307', '\x88385efc8804ac53621de043bfeb1a87cdc643f1c3e42c460c9b50f8508dc77eddc30952af581d419083184fb43984c714024e9a76402fffbd7889c46b8c2e00');
INSERT INTO public.ledger_heads VALUES (27, '2026-06-15T09:00:00Z', '\x12126d6d86e2eb182943db41046434186a454583c2cac2e03c1e14423f42e84e', '\x3487d9a8e1ba0be2b8fcb3cde1b0510607fa6e73e530438025fa91c17f3c1374fd2bb9fce6b23393f352c3793960fec3455e137035bf4d9f77bcde1ed5ffb902');
INSERT INTO public.ledger_heads VALUES (28, '2026-06-15T09:00:00Z', '\x0a045a10de2ec7f7413183baf463e550bcf799da1d35accafeeff5d37ba243b4', '\x57e8586df22d64a199b2939fff42712266f29e4138d3e66198dec789134dbd78d0ca1ed4f725e9e15b708c10a2d4641cb87d1f9908c97d093357d133cc0bf00f');
INSERT INTO public.ledger_heads VALUES (29, '2026-06-15T09:00:00Z', '\x2b2e2ebef3219a8bec1cbc9e8105b5e5367efe990d38807e3f422c1cd817932f', '\xe16caefc5ba89e382df5a8d5fb863bc95c964f86e82841121eb5aef7a5f38ef3fb650192a488cc98f6e4b3cebd44dc8db182423e511a9921f6426c16024fcd06');
INSERT INTO public.ledger_heads VALUES (30, '2026-06-20T09:00:00Z', '\x4c96f595e737cdd7e69ba36b53b9f799ca4662450da4ed1052db16162a17d122', '\xab62e26d258e83196d2a9bd44ab5ae2fcc5134a37eef7ca90249bac8a9ecd8f0a3063dbbc41f8e49d1353241e842ec2641fe724def76f269bd197e3d8c9ce205');
INSERT INTO public.ledger_heads VALUES (31, '2026-06-20T09:00:00Z', '\x701f260a2913c1dcb3242fbba6790a3e8867af65f1a6494c1eccf158347332df', '\xab64ed09e5312311cdca2987117c6a6aa0b2983179d26af264e452d3a0d825b2796c30466c4c63af18f9471c23e46cdfe868ed5649e85b7cec189ccca932da0f');
INSERT INTO public.ledger_heads VALUES (32, '2026-06-20T09:00:00Z', '\xde95974174588be4ecca5393477594026dfc6f85f1dc2efefc8fa422a5c87209', '\x85618731b72ac3e25601373ae1ba8e5de9dba3534d953174a6d7b3541ccdca7de40af52e15bd454d9a98175fd9bad0c2a51da490b4f14cb051fbdf87170cbe0c');
INSERT INTO public.ledger_heads VALUES (33, '2026-06-20T09:00:00Z', '\xcd0a3477d6b04c6bb89268c1b42692ee7be7367696ad9856d71e882234625277', '\x7a05b8255d341a84804fd32d35689600f1066ce0d8da15bcd000768e452ae90f1bbf0e64380a17393b6e4af55410fe8704c91b5596930ee2ec4d4800b8759007');
INSERT INTO public.ledger_heads VALUES (34, '2026-06-20T09:00:00Z', '\x2b9e0a48747ff1fb3b1b4a8f5fb4257a8ba81d1704b640230f595632ddbb3d4f', '\xdc66c37a2499b518f3796c7992b0113da672fb1ec155c0bb048bad04ad95e21bbf651b8bd4396fa8a6bb57fa062ef28d136c1c6c30a12163571a77985a59ab02');


--
-- Data for Name: ledger_tree; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.ledger_tree VALUES (0, 0, '\x81b4766641dd9390dbe568b72eb676b3480b490bb8dd1dd2fe921eecb862de9d');
INSERT INTO public.ledger_tree VALUES (0, 1, '\xfa833326a07f5c7266c1a08d7493e2c32f4a36c9ed9607364aa124f2c61488f1');
INSERT INTO public.ledger_tree VALUES (0, 2, '\x56b0e9c174db43abee05289723b4285a5863a4cee496a1a63fb63f369e01903c');
INSERT INTO public.ledger_tree VALUES (0, 3, '\x593428572311d93e9f150076d83716ec05dde0e1c6826321dec20d70b7260ad2');
INSERT INTO public.ledger_tree VALUES (0, 4, '\x3e277f5da5dc15256fad16fc593a0c9a239e8b032b7c5a2eef8676e058ea78ab');
INSERT INTO public.ledger_tree VALUES (0, 5, '\xbc96dcf6daf606cef0bb976d6e29d1cd7dba619a168b4407efa872e4c7df3321');
INSERT INTO public.ledger_tree VALUES (0, 6, '\xc66a2f7788b973ae87844f52043680f2d881d6271e6c8a6d950cf09c1eb19667');
INSERT INTO public.ledger_tree VALUES (0, 7, '\x5db8267d9f184699e017dc670a497d970f93d1fd7ee0302f38295eeaf404d9a3');
INSERT INTO public.ledger_tree VALUES (0, 8, '\x4232e524eacfe32cfc24c6cf0b6f4a4817bc30a1385fe3f44976816e4c096012');
INSERT INTO public.ledger_tree VALUES (0, 9, '\xf3bbcfefe74dd46ac4f728e1598628f9dca38a1fc359423794f202764d4023be');
INSERT INTO public.ledger_tree VALUES (0, 10, '\xfaaab92c4866c0313e3961666d37705bf920341bf705927e5d892faa8fcf8f47');
INSERT INTO public.ledger_tree VALUES (0, 11, '\x7ea0164f2fd4c49826faa78e90bad011a8c44d7b7a032f7feb80273592591de1');
INSERT INTO public.ledger_tree VALUES (0, 12, '\x35feb3f9a4d493c2bc4f2de1dc8212f25604e247522fbcd9490bcca5bba556f0');
INSERT INTO public.ledger_tree VALUES (0, 13, '\x6135373d097130265c667e6d975113cd9781005bb0e1452524f2a1a901f778d0');
INSERT INTO public.ledger_tree VALUES (0, 14, '\x37fc0c50a4913eece93fdb6e9c4c842fce03deb288cc72d910148c0f8cfb81c9');
INSERT INTO public.ledger_tree VALUES (0, 15, '\x64922361d4677d6bc2f193966a86850293c23b1150fdfd8bc324760db5aac046');
INSERT INTO public.ledger_tree VALUES (0, 16, '\x0fe302003f91b613d1e08efdae5d7048d45aa001f41871d17b3f0ea479a9838f');
INSERT INTO public.ledger_tree VALUES (0, 17, '\x43ba86c6060e13ca776e6d86d1efba20348dfee4d692c343f3780031a9b3fc58');
INSERT INTO public.ledger_tree VALUES (0, 18, '\xf1c63c48b27c3b8a268773fbfe15d60edb017679f29bbc9608b2fd6c98e3d4aa');
INSERT INTO public.ledger_tree VALUES (0, 19, '\x19946ec6060ff4c430f3da0603f8db0474f94c37463233d4fb9d913feb5c01bf');
INSERT INTO public.ledger_tree VALUES (0, 20, '\x1fef666b74f6c4c24f1cc140ef07910d373e2a0bfe8392bed3a9b0db4d6c2b9a');
INSERT INTO public.ledger_tree VALUES (0, 21, '\xfefc565d22f15fd6a76b608fc68671c7cc8b094084b170565d04fb31198831bb');
INSERT INTO public.ledger_tree VALUES (0, 22, '\x9a2a4f771c4e5bee3e6c372970a6f0bfb54cec57ac6bf23b830e124c2fc6683f');
INSERT INTO public.ledger_tree VALUES (0, 23, '\x4e14ee33eaec2db555eeaac3fa8f7a12957b69ae01c218b67a1acfab2192249c');
INSERT INTO public.ledger_tree VALUES (0, 24, '\xe945556fb0a72c43b29929f654b67817776a0b5a7a07dd1b2752f1933625da1f');
INSERT INTO public.ledger_tree VALUES (0, 25, '\x91a48db3be86a651c3d316c3083dac8433601cc60436714fba61bd27b6840c88');
INSERT INTO public.ledger_tree VALUES (0, 26, '\x7967c79e2f4c31b1046fc5787502f68ffc221e0db80b84ca315c5deeee5547d6');
INSERT INTO public.ledger_tree VALUES (0, 27, '\x739120d49f62b848803163a1e76abe359ec5ec47de09fb52e0f663f1340dc4d4');
INSERT INTO public.ledger_tree VALUES (0, 28, '\xa242ef89fdbb3938bf675c44f8e78f210d763b2a64d5b885f522be9ae4576e9c');
INSERT INTO public.ledger_tree VALUES (0, 29, '\x66527de6462011a7a9b5bef39f4d64aaad21c9bfd4a98ba272c41bc3faf860a9');
INSERT INTO public.ledger_tree VALUES (0, 30, '\x6d41a962d1e4f294b0a145230776fe24593fde1ff1db245b479db5894c8114f9');
INSERT INTO public.ledger_tree VALUES (0, 31, '\x1476c85cb45704a48493719d6679ede07bd194afbf3993bbf047a0d9a9102946');
INSERT INTO public.ledger_tree VALUES (0, 32, '\xe434fc773aa8c973d2862dbe203703480e9fb07f51fd45c1e87dd2e3b48464c0');
INSERT INTO public.ledger_tree VALUES (0, 33, '\x734d72e7270ee7c5316e3439205825712e6f5fd5652fdb4174e7aa2f36cfc96b');
INSERT INTO public.ledger_tree VALUES (1, 0, '\xfcd9a16cba48f6934dc1c9d359d79ac07131653ca41902e1cc8fed35599d908d');
INSERT INTO public.ledger_tree VALUES (1, 1, '\x517d64df2a79444b0fe96bb369995770fdbc3c6b222b3105c4871a991e3b1889');
INSERT INTO public.ledger_tree VALUES (1, 2, '\xc7efae6aa9b0d8cab925382493de3dbe37cfe5c03bf875cfb9fdd700041f97d5');
INSERT INTO public.ledger_tree VALUES (1, 3, '\x6994a6c53a2c04a62dbcbfeba8e473ece14e3f28d22add61e6d7e803708cb66f');
INSERT INTO public.ledger_tree VALUES (1, 4, '\x7b07a23375613cece8041c74312d49fca9fd2da20baab42c61f5be40417dd0af');
INSERT INTO public.ledger_tree VALUES (1, 5, '\x06b6fc577c6de8e5add0258837d007c1ef0a40e46046c8edb85b2e57cd603344');
INSERT INTO public.ledger_tree VALUES (1, 6, '\x02282b086076a9c542d137b0671abe186c956d72c281e436d6a516a78f515931');
INSERT INTO public.ledger_tree VALUES (1, 7, '\x7b2c5d6cc1f8904e9579505d24fbd98b6de61df436538baa5982975865bc51be');
INSERT INTO public.ledger_tree VALUES (1, 8, '\x07672d03609b9ed4641d37beac5731bc51cd3f5fa2e09f54326551be9713f43c');
INSERT INTO public.ledger_tree VALUES (1, 9, '\x4a853007f26edda5419a28858a558580f7776e614899e473f2eac89c9bebd296');
INSERT INTO public.ledger_tree VALUES (1, 10, '\xa241f978ecd6f85d7bfbd6457cdf0d5e578a5cd6a13d53feca075395f90beb9a');
INSERT INTO public.ledger_tree VALUES (1, 11, '\x44238756e3bb14f7d45551a8c99be55ddfcbc9f1936ae598cbd2e971c9513107');
INSERT INTO public.ledger_tree VALUES (1, 12, '\x19e930d226aa9c25b0969c3ad82790af061997300b1c465c5add7063bf8c8e9d');
INSERT INTO public.ledger_tree VALUES (1, 13, '\x207f32f0ce6a245e918444868b4710ec8b7b0a19bf20a04fc865cfc44ffb9c38');
INSERT INTO public.ledger_tree VALUES (1, 14, '\x6435142eee3746a63260520d8ddf62c1e395296d1df737d790f6946381aeaf5d');
INSERT INTO public.ledger_tree VALUES (1, 15, '\x130346e9450a968851689e090d576996cb6beec4ab94c08d8757a60497e14a2c');
INSERT INTO public.ledger_tree VALUES (1, 16, '\xafa5327cc988d354aa37810174b1e7bf41dcb041d3403989d7a02e36f0e20a03');
INSERT INTO public.ledger_tree VALUES (2, 0, '\xc47875c10eaa2481a3ddc552167617fa95f0466b0efdcfbda9f02919c14421ee');
INSERT INTO public.ledger_tree VALUES (2, 1, '\x8ac6b5a414266aa3c916bc44a29a8005799474d6e8841c8c589e9208576d486a');
INSERT INTO public.ledger_tree VALUES (2, 2, '\xa6b05636fd247c932158b55c050f22eaec58e655e59c7e3dd0b724dd8b98b6ce');
INSERT INTO public.ledger_tree VALUES (2, 3, '\xc277bf79f01a3a4cbb400b34e422905c27a3ba8cb5982e815b48313dc0f29198');
INSERT INTO public.ledger_tree VALUES (2, 4, '\x506b53a5aac580bc57e6acc20bf6a0e6725b8291e88baab4bb6b07d919a295bf');
INSERT INTO public.ledger_tree VALUES (2, 5, '\xb55a96615d19aea2868945476dddef88c6a116f85e789f643a2ec7e907e0c242');
INSERT INTO public.ledger_tree VALUES (2, 6, '\xbf7624723157bb6198e13f9a8ec511bd5fd07c40f314d055241e2dcf1a13ebac');
INSERT INTO public.ledger_tree VALUES (2, 7, '\x2fddd51ca29a4442bb14f17e4776903b7fcb3d3df5bd936ef6fd9387603f827f');
INSERT INTO public.ledger_tree VALUES (3, 0, '\xf7378e05394ad21de226295093dec704d116cd40ec574efac401e2eba9f2c974');
INSERT INTO public.ledger_tree VALUES (3, 1, '\x92185ada1c1eae60cb0101487d77836c4c4cc37ed94f94aa5e938da10068ebae');
INSERT INTO public.ledger_tree VALUES (3, 2, '\xc95aee134bd6c312605c2592958fda7eee17971e913b415aad934a670507fb25');
INSERT INTO public.ledger_tree VALUES (3, 3, '\x6cf05ae3a0b558ff632384fc9fb718b2a35da3ce3dcd469425374c84d39c2dca');
INSERT INTO public.ledger_tree VALUES (4, 0, '\xdd7dd9f1f2695ff961c45e229fd2cbc350e0b2c9c149c1e377da2033a7cec0b3');
INSERT INTO public.ledger_tree VALUES (4, 1, '\x3c253f7832b5b5b1f30ca261db0499ae450b3571b0e927d296617c6ddac7a10a');
INSERT INTO public.ledger_tree VALUES (5, 0, '\xde95974174588be4ecca5393477594026dfc6f85f1dc2efefc8fa422a5c87209');


--
-- Data for Name: ledger_versions; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.ledger_versions VALUES (2, 1, '0.2.0');


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

INSERT INTO public.review_lines VALUES (1, 10, 4611686018427387904, -2775005674900029288, NULL, 'spring', 1, 'bo', 'head', 'identity:bo', 'g3', NULL, NULL, NULL, 3, 2, 3, NULL, NULL, 1, NULL, 'active', NULL, NULL, NULL, NULL, '2027-01-31', NULL, NULL, NULL, NULL, 20, 'never-signed-in', 0, NULL, NULL, NULL, 'Nothing stands out.');
INSERT INTO public.review_lines VALUES (2, 10, 4611686018427387904, -1685859046088290383, NULL, 'spring', 2, 'twice', 'head', 'identity:twice', 'g8', NULL, NULL, NULL, 7, 1, 3, 'D-3', NULL, 1, NULL, 'active', NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, 16, 'duplicate-identity;redundant', 1, NULL, NULL, 'for', 'Expected: D-3 needs it.');
INSERT INTO public.review_lines VALUES (3, 10, 4611686018427387904, 7477825250931503243, NULL, 'spring', 3, 'gone', 'head', 'identity:gone', 'g7', NULL, NULL, NULL, 5, 3, 4, 'D-3', NULL, 1, NULL, 'left', NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, 4, 'redundant', 1, NULL, NULL, 'against', 'The person has left and still holds it.');
INSERT INTO public.review_lines VALUES (4, 10, 4611686018427387904, 6434200270171223427, NULL, 'spring', 4, 'ann', 'head', 'identity:ann', 'g1', NULL, NULL, NULL, 2, 1, 3, 'D-3', 'D-1', 1, NULL, 'active', NULL, NULL, '2026-05-01', 2, NULL, 'head', '2025-01-01', 'first day', '2026-05-01', 23, 'beyond-needs', 0, NULL, NULL, 'against', 'It is part of a conflict of duties: D-1.');
INSERT INTO public.review_lines VALUES (5, 10, 4611686018427387904, -7548013530677557625, NULL, 'spring', 5, 'ann', 'head', 'identity:ann', 'g2', NULL, NULL, NULL, 3, 2, 3, NULL, 'D-1', 1, NULL, 'active', NULL, NULL, '2026-05-02', 1, NULL, NULL, NULL, NULL, '2026-05-01', 23, 'beyond-needs', 0, NULL, NULL, 'against', 'It is part of a conflict of duties: D-1.');
INSERT INTO public.review_lines VALUES (6, 31, 4611686018427387904, 476670003439249472, NULL, 'summer', 1, 'bo', 'head', 'identity:bo', 'g3', NULL, NULL, NULL, 3, 2, 2, NULL, NULL, 1, NULL, 'active', NULL, NULL, NULL, NULL, '2027-01-31', NULL, NULL, NULL, NULL, 21, 'beyond-needs;never-signed-in;redundant', 0, '2026-06-15T09:00:00Z', 'head', NULL, 'Nothing stands out.');
INSERT INTO public.review_lines VALUES (7, 31, 4611686018427387904, 4290582255467863480, NULL, 'summer', 2, 'bo', 'head', 'identity:bo', 'g8', NULL, NULL, NULL, 7, 1, 2, 'D-3', NULL, 1, NULL, 'active', NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, 21, 'beyond-needs;never-signed-in;redundant', 1, NULL, NULL, 'for', 'Expected: D-3 needs it.');
INSERT INTO public.review_lines VALUES (8, 31, 4611686018427387904, -4561946439278791225, NULL, 'summer', 3, 'gone', 'head', 'identity:gone', 'g7', NULL, NULL, NULL, 5, 2, 3, 'D-3', NULL, 1, NULL, 'left', NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, 4, 'redundant', 1, '2026-06-15T09:00:00Z', 'head', 'against', 'The person has left and still holds it.');
INSERT INTO public.review_lines VALUES (9, 31, 4611686018427387904, -6566236650783014753, NULL, 'summer', 4, 'ann', 'head', 'identity:ann', 'g1', NULL, NULL, NULL, 2, 1, 2, 'D-3', 'D-1', 1, NULL, 'active', NULL, NULL, '2026-05-01', 2, NULL, 'head', '2025-01-01', 'first day', '2026-05-01', 32, 'beyond-needs;came-back', 0, '2026-06-15T09:00:00Z', 'head', 'against', 'It is part of a conflict of duties: D-1.');
INSERT INTO public.review_lines VALUES (10, 31, 4611686018427387904, -6964619337462555004, NULL, 'summer', 5, 'ann', 'head', 'identity:ann', 'g2', NULL, NULL, NULL, 3, 2, 2, NULL, 'D-1', 1, NULL, 'active', NULL, NULL, '2026-05-02', 1, NULL, NULL, NULL, NULL, '2026-05-01', 32, 'beyond-needs;came-back', 0, NULL, NULL, 'against', 'It is part of a conflict of duties: D-1.');


--
-- Data for Name: review_remarks; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.review_remarks VALUES (1, 11, 4611686018427387904, 7276466555860558987, NULL, 'spring', 1, 1, 'question', 'head', '2026-06-02T09:00:00Z', 'Do you still?', 'ann');
INSERT INTO public.review_remarks VALUES (2, 12, 4611686018427387904, -4834378749342471752, NULL, 'spring', 1, 2, 'answer', 'ann', '2026-06-02T09:00:00Z', 'Yes.', NULL);


--
-- Data for Name: review_things; Type: TABLE DATA; Schema: public; Owner: -
--

INSERT INTO public.review_things VALUES (1, 10, 4611686018427387904, -5267920980188585762, NULL, 'spring', 2, 'role:dues/setter on area:north', '[]', '["edit dues:/tariffs/**","view dues:/**","never view dues:/board"]', '[]', 1, 6, '2026-05-01', 2);
INSERT INTO public.review_things VALUES (2, 10, 4611686018427387904, -5412283298130019213, NULL, 'spring', 3, 'role:dues/waiver', '[]', '["approve dues:/waivers/**"]', '[]', 2, 6, '2026-05-01', 1);
INSERT INTO public.review_things VALUES (3, 10, 4611686018427387904, -1798986416527753301, NULL, 'spring', 5, 'role:dues/reader', '[]', '["view dues:/**","never view dues:/board"]', '[]', 3, 6, '2026-05-01', 3);
INSERT INTO public.review_things VALUES (4, 10, 4611686018427387904, -4808973484946850150, NULL, 'spring', 7, 'view dues:/tariffs/2026', '[]', '["view dues:/tariffs/2026"]', '[]', 1, 6, '2026-05-01', 2);
INSERT INTO public.review_things VALUES (5, 31, 4611686018427387904, 7836365165218889515, NULL, 'summer', 2, 'role:dues/setter on area:north', '[]', '["edit dues:/tariffs/**","view dues:/**","never view dues:/board"]', '[]', 1, 5, '2026-05-01', 2);
INSERT INTO public.review_things VALUES (6, 31, 4611686018427387904, 7692002847277456064, NULL, 'summer', 3, 'role:dues/waiver', '[]', '["approve dues:/waivers/**"]', '[]', 2, 5, '2026-05-01', 1);
INSERT INTO public.review_things VALUES (7, 31, 4611686018427387904, 7663833171843343618, NULL, 'summer', 5, 'role:dues/reader', '[]', '["view dues:/**","never view dues:/board"]', '[]', 2, 5, '2026-05-01', 3);
INSERT INTO public.review_things VALUES (8, 31, 4611686018427387904, 8295312660460625127, NULL, 'summer', 7, 'view dues:/tariffs/2026', '[]', '["view dues:/tariffs/2026"]', '[]', 1, 5, '2026-05-01', 2);


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
INSERT INTO public.settings VALUES (2, 1, 4611686018427387904, 6638805324020426283, NULL, 'kathodos.toml', '980e29f7d0f182b2297131e52a0ea626f86ea112260b2b333cfa420526368801', '# A Kathodos workspace. Paths are relative to this folder.
kathodos = "0.2"   # for which version this is written; an earlier one does not work with it

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

CREATE TRIGGER kathodos_is_changed BEFORE UPDATE ON public.review_lines FOR EACH ROW WHEN (((old.until <> '4611686018427387904'::bigint) OR (new.until >= '4611686018427387904'::bigint) OR (new.until <= old.since) OR (((((((((((((((((((((((((((((((((((((old."row" IS DISTINCT FROM new."row") OR (old.since IS DISTINCT FROM new.since)) OR (old.checksum IS DISTINCT FROM new.checksum)) OR (old.source IS DISTINCT FROM new.source)) OR (old.review IS DISTINCT FROM new.review)) OR (old.line IS DISTINCT FROM new.line)) OR (old.identity IS DISTINCT FROM new.identity)) OR (old.reviewer IS DISTINCT FROM new.reviewer)) OR (old.holder IS DISTINCT FROM new.holder)) OR (old."grant" IS DISTINCT FROM new."grant")) OR (old."group" IS DISTINCT FROM new."group")) OR (old.part IS DISTINCT FROM new.part)) OR (old.value IS DISTINCT FROM new.value)) OR (old.thing IS DISTINCT FROM new.thing)) OR (old.peers_having IS DISTINCT FROM new.peers_having)) OR (old.peers_counted IS DISTINCT FROM new.peers_counted)) OR (old.needed_by IS DISTINCT FROM new.needed_by)) OR (old.conflicts IS DISTINCT FROM new.conflicts)) OR (old.spoken IS DISTINCT FROM new.spoken)) OR (old.fences IS DISTINCT FROM new.fences)) OR (old.status IS DISTINCT FROM new.status)) OR (old.ends IS DISTINCT FROM new.ends)) OR (old.former IS DISTINCT FROM new.former)) OR (old.last_used IS DISTINCT FROM new.last_used)) OR (old.uses IS DISTINCT FROM new.uses)) OR (old.until_ IS DISTINCT FROM new.until_)) OR (old.given_by IS DISTINCT FROM new.given_by)) OR (old.given_at IS DISTINCT FROM new.given_at)) OR (old.given_for IS DISTINCT FROM new.given_for)) OR (old.signed_in IS DISTINCT FROM new.signed_in)) OR (old.risk IS DISTINCT FROM new.risk)) OR (old.excess IS DISTINCT FROM new.excess)) OR (old.redundant IS DISTINCT FROM new.redundant)) OR (old.certified_at IS DISTINCT FROM new.certified_at)) OR (old.certified_by IS DISTINCT FROM new.certified_by)) OR (old.speaks IS DISTINCT FROM new.speaks)) OR (old.stands_out IS DISTINCT FROM new.stands_out)))) EXECUTE FUNCTION public.kathodos_keeps_history();

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


