// The API's answers, as far as the pages use them. The names are those of /api/v1/openapi.json.
export interface Page<T> {
  items: T[];
  total: number;
  next: string | null;
}
export interface Identity {
  name: string;
  csrf: string;
  must_change: boolean;
}
export interface Changes {
  new: number;
  changed: number;
  gone: number;
  grew: number;
}
export interface TaskCopy {
  store: string;
  error: string;
  kept: number;
  retired: number;
}
export interface Task {
  id: number;
  subject_kind: string;
  subject: string;
  state: string;
  outcome: string | null;
  error: string;
  bundle: string;
  bundle_id: number | null;
  entries: number;
  bytes: number;
  packed: number;
  started: string | null;
  ended: string | null;
  warnings: string[];
  copies: TaskCopy[];
  stage: string;
  pushed: number;
  expected: number;
  rate: number;
  remaining: number | null;
  changes: Changes | null;
}
export interface Run {
  id: number;
  job: string;
  zone: string;
  state: string;
  outcome: string | null;
  started_by: string;
  created: string;
  started: string | null;
  ended: string | null;
  sentence: string;
  tasks_total: number;
  tasks_done: number;
  bytes: number;
  packed: number;
}
export interface RunDetail extends Run {
  tasks: Task[];
}
export interface LogLine {
  id: number;
  at: string;
  level: string;
  subject: string;
  text: string;
}
export interface Rules {
  includes: string[];
  excludes: string[];
  sets: string[];
  larger_than: number;
  older_than: number;
  one_file_system: boolean;
  skip_tagged_caches: boolean;
  ignore_file: string;
}
export interface DatabaseRules {
  names: string[];
  without: string[];
  tables: string[];
  without_tables: string[];
  without_rows: string[];
  structure_only: boolean;
  check_tables: boolean;
}
export interface Note {
  name: string;
  command: string;
  seconds: number;
}
export interface Command {
  when: string;
  command: string;
  seconds: number;
  stops: boolean;
}
export interface Job {
  name: string;
  subjects: 'accounts' | 'sites' | 'hosts';
  rules: Rules;
  databases: DatabaseRules;
  notes: Note[];
  commands: Command[];
  hold_page: boolean;
  promise: number;
  mode: 'full' | 'incremental';
  full_every: number;
  dead_share: number;
  compare_every: number;
  choice: 'all' | 'listed' | 'all_but';
  names: string[];
  contents: string[];
  messages: boolean;
  stores: string[];
  timetable: string;
  zone: string;
  keep: number;
  report_to: string[];
  report_when: 'always' | 'trouble';
  compression: string;
  level: number | null;
  piece_size: number;
  enabled: boolean;
}
export interface JobRow extends Job {
  summary: string;
  next_start: string | null;
  covers: number;
  last_run: number | null;
  last_outcome: string | null;
  last_ended: string | null;
  running: boolean;
}
export interface JobSummary {
  sentence: string;
  starts: string[];
  covers: string[];
  bytes: number;
  packed: number;
  unmeasured: number;
  advice: string[];
}
export interface Site {
  name: string;
  root: string;
}
export interface Database {
  engine: 'sqlite' | 'mariadb';
  name: string;
  path: string;
  site: string | null;
}
export interface Account {
  name: string;
  host: string;
  home: string;
  sites: Site[];
  databases: Database[];
  mail_domains: string[];
  covered_by: string[];
  newest: string | null;
  newest_bytes: number;
  bundles: number;
  excludes: string[];
  gone_since: string | null;
}
export interface MailFiles {
  alias_map: string;
  mailbox_map: string;
  transport_map: string;
  passwd_file: string;
  home: string;
  dkim: string;
  refresh: string[];
}
export interface Finding {
  homes: string[];
  sites: string[];
  nginx: string[];
  apache: string[];
  database_prefix: string;
  by_grants: boolean;
  sqlite: boolean;
  mail: boolean;
  leave_out: string[];
  automatic: boolean;
  forget_after: number;
}
export interface Host {
  name: string;
  kind: 'local' | 'ssh';
  address: string;
  port: number;
  user: string;
  host_key: string;
  at_once: number;
  mariadb: { socket: string; address: string; port: number; user: string } | null;
  mail: MailFiles;
  system: string[];
  account_system: string[];
  hold_flag: string;
  finding: Finding;
  accounts: number;
  secrets_set: string[];
  where: string;
}
export interface Proposed {
  kind: 'new' | 'changed' | 'gone';
  account: Account;
  changes: string[];
}
export interface CoverageRow {
  kind: string;
  name: string;
  account: string;
  host: string;
  state: 'protected' | 'late' | 'never' | 'bare';
  jobs: string[];
  newest: string | null;
}
export interface Preview {
  id: number;
  state: string;
  outcome: string | null;
  error: string;
  entries: number;
  bytes: number;
  packed: number;
  new: { entries: number; bytes: number } | null;
  saved: { rule: string; entries: number; bytes: number }[];
  folders: { path: string; entries: number; bytes: number }[];
  warnings: string[];
  seconds: number;
}
export interface Store {
  name: string;
  kind: 'folder' | 'sftp';
  path: string;
  address: string;
  port: number;
  user: string;
  folder: string;
  host_key: string;
  secrets_set: string[];
  jobs: string[];
  copies: number;
  bytes: number;
  where: string;
  verify_days: number;
  damaged: number;
}
export interface Tried {
  ok: boolean;
  steps: { name: string; ok: boolean; text: string; way_out: string }[];
  host_key: string;
}
export interface Copy {
  store: string;
  made: string;
  verified: string | null;
  verified_deep: string | null;
  sound: boolean;
}
export interface Bundle {
  id: number;
  name: string;
  subject_kind: string;
  subject: string;
  job: string;
  host: string;
  run: number | null;
  moment: string;
  entries: number;
  bytes: number;
  new_bytes: number;
  packed: number;
  outcome: string;
  copies: Copy[];
}
export interface BundleDetail extends Bundle {
  contents: Record<string, { entries: number; bytes: number; unreadable: string[] }>;
  databases: { engine: string; name: string; tables: Record<string, number> }[];
  pieces: { name: string; bytes: number; sha256: string; brought?: boolean }[];
  brings: string;
  base: string;
  dead_share: number;
  compression: string;
  changes: Changes | null;
}
export interface BundleChange {
  kind: string;
  path: string;
  type: string;
  state: string;
  what: string;
  bytes: number;
  before: number;
}
export interface Maintenance {
  id: number;
  kind: string;
  store: string;
  subject: string;
  deep: boolean;
  dry_run: boolean;
  state: string;
  outcome: string | null;
  sentence: string;
  bytes: number;
  total: number;
  stage: string;
  started_by: string;
  created: string;
  started: string | null;
}
export interface DamageRow {
  id: number;
  store: string;
  subject: string;
  file: string;
  reason: string;
  bundles: string[];
  files: string[];
  harmed: number;
  found: string;
  mend_from: string[];
  stored_again: string;
}
export interface Growth {
  points: {
    bundle: number;
    job: string;
    moment: string;
    bytes: number;
    new_bytes: number;
    packed: number;
  }[];
  stores: { store: string; copies: number; stored: number; holds: number; dead: number }[];
  per_week: number | null;
}
export interface BundleEntry {
  name: string;
  path: string;
  type: string;
  bytes: number;
  files: number;
  mode: string;
  user: string;
  group: string;
  mtime: string;
  target: string | null;
}
export interface Restore {
  id: number;
  bundle_id: number | null;
  bundle: string;
  subject: string;
  store: string;
  target: string;
  state: string;
  outcome: string | null;
  error: string;
  entries: number;
  bytes: number;
  total: number;
  stage: string;
  created: string;
}
export interface Report {
  id: number;
  run: number | null;
  job: string;
  at: string;
  title: string;
  recipients: string[];
  state: string;
  sent: string | null;
  last_error: string;
}
export interface ReportDetail extends Report {
  text: string;
  html: string;
}
export interface MailServer {
  address: string;
  port: number;
  security: string;
  user: string;
  password_set: boolean;
  sender: string;
}
export interface Token {
  name: string;
  created: string;
  last_used: string | null;
}
export interface Overview {
  now: string;
  attention: { level: string; text: string; link: string }[];
  running: Run[];
  upcoming: { at: string; job: string; zone: string; expected: number | null }[];
  recent: Run[];
  nights: { subject_kind: string; subject: string; nights: { day: string; outcome: string }[] }[];
  stores: {
    name: string;
    kind: string;
    where: string;
    copies: number;
    bytes: number;
    newest: string | null;
  }[];
  accounts: number;
  sites: number;
  jobs: number;
  bundles: number;
  scheduler_alive: boolean;
}
export interface Found {
  kind: string;
  name: string;
  about: string;
  link: string;
}
