// Generated from openapi.json by generate-calls.mjs. Do not edit.
import type { components, operations } from './openapi';
import { call, part, queryString } from './api.svelte';

type Schemas = components['schemas'];
type Query<Id extends keyof operations> = operations[Id]['parameters']['query'];
type Optional<T, K extends keyof T> = Omit<T, K> & Partial<Pick<T, K>>;

/** Apply such a text; with “dry_run”, say what would change. */
export const definitionsApply = (body: Optional<Schemas['Definitions'], 'secrets' | 'dry_run'>) =>
  call<Schemas['Applied']>('POST', '/definitions', body);

/** The private keys that the service keeps. */
export const keysList = () => call<Schemas['Page_SealKey_']>('GET', '/keys');

/** Keep a private key, so that the service can read what is sealed to it. */
export const keysKeep = (body: Optional<Schemas['KeyKeep'], 'note'>) =>
  call<Schemas['SealKey']>('POST', '/keys', body);

/** Make a pair of keys; the private one is shown this once. */
export const keysMake = (body: Optional<Schemas['KeyMake'], 'note' | 'keep'>) =>
  call<Schemas['KeyMade']>('POST', '/keys/make', body);

/** Forget a private key; what is sealed to it stays. */
export const keysRemove = (recipient: string) => call<void>('DELETE', `/keys/${part(recipient)}`);

/** Look whether the copies on a store are whole. */
export const storesVerify = (
  name: string,
  body: Optional<Schemas['VerifyStart'], 'deep' | 'subject' | 'bundle'>,
) => call<Schemas['MaintenanceStarted']>('POST', `/stores/${part(name)}/verify`, body);

/** Repair damaged files from intact copies on other stores. */
export const storesRepair = (name: string, body: Optional<Schemas['RepairStart'], 'subject'>) =>
  call<Schemas['MaintenanceStarted']>('POST', `/stores/${part(name)}/repair`, body);

/** Repack: rewrite pieces without unused data. */
export const storesRepack = (
  name: string,
  body: Optional<Schemas['RepackStart'], 'subject' | 'over' | 'dry_run'>,
) => call<Schemas['MaintenanceStarted']>('POST', `/stores/${part(name)}/repack`, body);

/** Bring bundles that a store lacks from other stores. */
export const storesTransfer = (
  name: string,
  body: Optional<Schemas['TransferStart'], 'source' | 'subject' | 'move'>,
) => call<Schemas['MaintenanceStarted']>('POST', `/stores/${part(name)}/transfer`, body);

/** Seal what a store holds to its public keys, or open it where it has none. */
export const storesSeal = (name: string, body: Optional<Schemas['SealStart'], 'subject'>) =>
  call<Schemas['MaintenanceStarted']>('POST', `/stores/${part(name)}/seal`, body);

/** Retire the copies on an append-only store, with separate credentials. */
export const storesRetire = (
  name: string,
  body: Optional<Schemas['RetireStart'], 'subject' | 'settings' | 'secrets'>,
) => call<Schemas['MaintenanceStarted']>('POST', `/stores/${part(name)}/retire`, body);

/** Take all bundles that a store holds into the records. */
export const storesImport = (name: string) =>
  call<Schemas['MaintenanceStarted']>('POST', `/stores/${part(name)}/import`);

/** Transfers to a store from other stores, newest first. */
export const storesTransfers = (name: string, query?: Query<'stores_transfers'>) =>
  call<Schemas['Page_Transfer_']>('GET', `/stores/${part(name)}/transfers` + queryString(query));

/** Maintenance, newest first. */
export const maintenanceList = (query?: Query<'maintenance_list'>) =>
  call<Schemas['Page_MaintenanceTask_']>('GET', '/maintenance' + queryString(query));

/** One maintenance task. */
export const maintenanceShow = (maintenanceId: number) =>
  call<Schemas['MaintenanceTask']>('GET', `/maintenance/${part(maintenanceId)}`);

/** Cancel a maintenance task; every copy stays intact. */
export const maintenanceCancel = (maintenanceId: number) =>
  call<Schemas['MaintenanceTask']>('POST', `/maintenance/${part(maintenanceId)}/cancel`);

/** The log of maintenance. */
export const maintenanceLog = (maintenanceId: number, query?: Query<'maintenance_log'>) =>
  call<Schemas['Page_LogLine_']>(
    'GET',
    `/maintenance/${part(maintenanceId)}/log` + queryString(query),
  );

/** Files on stores that are missing or altered, and what they harm. */
export const damageList = (query?: Query<'damage_list'>) =>
  call<Schemas['Page_DamageRow_']>('GET', '/damage' + queryString(query));

/** Growth of a subject, and its space on each store. */
export const growthShow = (query: Query<'growth_show'>) =>
  call<Schemas['Growth']>('GET', '/growth' + queryString(query));

/** Overview: alerts, next starts, recent runs. */
export const overview = () => call<Schemas['Overview']>('GET', '/overview');

/** Kinds of stores, hosts and database servers. */
export const kindsList = () => call<Schemas['Kinds']>('GET', '/kinds');

/** Runs, newest first. */
export const runsList = (query?: Query<'runs_list'>) =>
  call<Schemas['Page_Run_']>('GET', '/runs' + queryString(query));

/** One run with its tasks. */
export const runsShow = (runId: number) =>
  call<Schemas['RunDetail']>('GET', `/runs/${part(runId)}`);

/** Cancel a run. */
export const runsCancel = (runId: number) =>
  call<Schemas['RunDetail']>('POST', `/runs/${part(runId)}/cancel`);

/** The log of a run. */
export const runsLog = (runId: number, query?: Query<'runs_log'>) =>
  call<Schemas['Page_LogLine_']>('GET', `/runs/${part(runId)}/log` + queryString(query));

/** Accounts, sites, jobs, stores and bundles by name. */
export const search = (query: Query<'search'>) =>
  call<Schemas['Page_SearchHit_']>('GET', '/search' + queryString(query));

/** Sign in. */
export const sessionOpen = (body: Schemas['SignIn']) =>
  call<Schemas['Identity']>('POST', '/session', body);

/** The signed-in user. */
export const sessionShow = () => call<Schemas['Identity']>('GET', '/session');

/** Sign out. */
export const sessionClose = () => call<void>('DELETE', '/session');

/** Choose another password; ends all sessions. */
export const passwordChange = (body: Optional<Schemas['Password'], 'end_tokens'>) =>
  call<void>('POST', '/session/password', body);

/** Your tokens. */
export const tokensList = () => call<Schemas['Page_Token_']>('GET', '/tokens');

/** Make a token; it is shown this once. */
export const tokensAdd = (body: Schemas['TokenNew']) =>
  call<Schemas['TokenMade']>('POST', '/tokens', body);

/** Remove a token. */
export const tokensRemove = (name: string) => call<void>('DELETE', `/tokens/${part(name)}`);

/** Stores. */
export const storesList = (query?: Query<'stores_list'>) =>
  call<Schemas['Page_Store_']>('GET', '/stores' + queryString(query));

/** Add a store; it is tried first. */
export const storesAdd = (
  body: Optional<
    Schemas['StoreInput'],
    | 'verify_days'
    | 'limits'
    | 'stall_timeout'
    | 'max_concurrent'
    | 'read_back'
    | 'queue'
    | 'append_only'
    | 'reserve'
    | 'price_kept'
    | 'price_moved'
    | 'currency'
    | 'recipients'
    | 'copy_from'
    | 'copy_timetable'
    | 'copy_zone'
    | 'copy_move'
    | 'secrets'
  >,
  query?: Query<'stores_add'>,
) => call<Schemas['Store']>('POST', '/stores' + queryString(query), body);

/** One store. */
export const storesShow = (name: string) => call<Schemas['Store']>('GET', `/stores/${part(name)}`);

/** Change a store; it is tried first. */
export const storesChange = (
  name: string,
  body: Optional<
    Schemas['StoreInput'],
    | 'verify_days'
    | 'limits'
    | 'stall_timeout'
    | 'max_concurrent'
    | 'read_back'
    | 'queue'
    | 'append_only'
    | 'reserve'
    | 'price_kept'
    | 'price_moved'
    | 'currency'
    | 'recipients'
    | 'copy_from'
    | 'copy_timetable'
    | 'copy_zone'
    | 'copy_move'
    | 'secrets'
  >,
  query?: Query<'stores_change'>,
) => call<Schemas['Store']>('PUT', `/stores/${part(name)}` + queryString(query), body);

/** Remove a store from the records; what is on it is not touched. */
export const storesRemove = (name: string) => call<void>('DELETE', `/stores/${part(name)}`);

/** Test a store before saving it. */
export const storesTryDraft = (
  body: Optional<
    Schemas['StoreInput'],
    | 'verify_days'
    | 'limits'
    | 'stall_timeout'
    | 'max_concurrent'
    | 'read_back'
    | 'queue'
    | 'append_only'
    | 'reserve'
    | 'price_kept'
    | 'price_moved'
    | 'currency'
    | 'recipients'
    | 'copy_from'
    | 'copy_timetable'
    | 'copy_zone'
    | 'copy_move'
    | 'secrets'
  >,
  query?: Query<'stores_try_draft'>,
) => call<Schemas['TryResult']>('POST', '/stores/try' + queryString(query), body);

/** Try a saved store. */
export const storesTry = (name: string) =>
  call<Schemas['TryResult']>('POST', `/stores/${part(name)}/try`);

/** Hosts, accounts and jobs proposed by a store, until they are accepted. */
export const storesProposals = (name: string) =>
  call<Schemas['Page_StoreProposal_']>('GET', `/stores/${part(name)}/proposals`);

/** Accept proposals of a store: hosts without a connection, accounts, disabled jobs. */
export const storesAccept = (
  name: string,
  body: Optional<
    Schemas['ProposalChoice'],
    'hosts' | 'accounts' | 'stores' | 'jobs' | 'all' | 'homes'
  >,
) => call<Schemas['AcceptedProposals']>('POST', `/stores/${part(name)}/proposals`, body);

/** Dismiss proposals of a store; its bundles stay in the records. */
export const storesDismiss = (
  name: string,
  body: Optional<
    Schemas['ProposalChoice'],
    'hosts' | 'accounts' | 'stores' | 'jobs' | 'all' | 'homes'
  >,
) => call<void>('POST', `/stores/${part(name)}/proposals/dismiss`, body);

/** Usage, growth and cost of a store, and the day it will be full. */
export const storesUsage = (name: string) =>
  call<Schemas['StoreUsage']>('GET', `/stores/${part(name)}/usage`);

/** Claim a store that another installation wrote to. */
export const storesClaim = (name: string) =>
  call<Schemas['Store']>('POST', `/stores/${part(name)}/claim`);

/** Ask the owner of a drive for access. */
export const storesConnect = (name: string) =>
  call<Schemas['StoreAccess']>('POST', `/stores/${part(name)}/access`);

/** State of the access to a drive. */
export const storesAccess = (name: string) =>
  call<Schemas['StoreAccess']>('GET', `/stores/${part(name)}/access`);

/** Forget the access to a drive. */
export const storesDisconnect = (name: string) =>
  call<void>('DELETE', `/stores/${part(name)}/access`);

/** Begin or continue an upload of bundles. */
export const uploadsStart = (body: Schemas['UploadStart']) =>
  call<Schemas['Upload']>('POST', '/uploads', body);

/** Progress of an upload. */
export const uploadsShow = (name: string) =>
  call<Schemas['Upload']>('GET', `/uploads/${part(name)}`);

/** Remove an upload that is not a store yet. */
export const uploadsRemove = (name: string) => call<void>('DELETE', `/uploads/${part(name)}`);

/** Make a store of an upload, and import its bundles. */
export const uploadsFinish = (name: string) =>
  call<Schemas['MaintenanceStarted']>('POST', `/uploads/${part(name)}/finish`);

/** Workers on other machines. */
export const workersList = () => call<Schemas['Page_FleetWorker_']>('GET', '/workers');

/** A code that enrols one worker, within a day. */
export const workersCode = (body: Schemas['WorkerCodeStart']) =>
  call<Schemas['WorkerCode']>('POST', '/workers/codes', body);

/** Let a worker drain, or give it orders again. */
export const workersDrain = (name: string, body: Optional<Schemas['WorkerDrain'], 'drains'>) =>
  call<Schemas['FleetWorker']>('POST', `/workers/${part(name)}/drain`, body);

/** Remove a worker; its tasks end. */
export const workersRemove = (name: string) => call<void>('DELETE', `/workers/${part(name)}`);

/** Bundles, newest first. */
export const bundlesList = (query?: Query<'bundles_list'>) =>
  call<Schemas['Page_Bundle_']>('GET', '/bundles' + queryString(query));

/** Versions of files over all bundles of a subject. */
export const bundlesVersions = (query?: Query<'bundles_versions'>) =>
  call<Schemas['VersionsFound']>('GET', '/versions' + queryString(query));

/** One bundle. */
export const bundlesShow = (bundleId: number) =>
  call<Schemas['BundleDetail']>('GET', `/bundles/${part(bundleId)}`);

/** How to bring a bundle back, with Fasciculus and by hand. */
export const bundlesInstructions = (bundleId: number) =>
  call<Schemas['Instructions']>('GET', `/bundles/${part(bundleId)}/instructions`);

/** Pin a bundle, with a reason, until a time or until it is unpinned. */
export const bundlesPin = (bundleId: number, body: Optional<Schemas['Pin'], 'reason' | 'until'>) =>
  call<Schemas['BundleDetail']>('PUT', `/bundles/${part(bundleId)}/pin`, body);

/** Let a bundle retire again as the keep rule says. */
export const bundlesUnpin = (bundleId: number) =>
  call<Schemas['BundleDetail']>('DELETE', `/bundles/${part(bundleId)}/pin`);

/** Contents of a folder in a bundle. */
export const bundlesFiles = (bundleId: number, query?: Query<'bundles_files'>) =>
  call<Schemas['BundleFiles']>('GET', `/bundles/${part(bundleId)}/files` + queryString(query));

/** Databases of a bundle, by their tables. */
export const bundlesTables = (bundleId: number) =>
  call<Schemas['Page_DatabaseTables_']>('GET', `/bundles/${part(bundleId)}/tables`);

/** Entries whose path holds the words. */
export const bundlesSearch = (bundleId: number, query?: Query<'bundles_search'>) =>
  call<Schemas['EntrySearch']>('GET', `/bundles/${part(bundleId)}/search` + queryString(query));

/** Entries added, changed and removed in a bundle. */
export const bundlesChanges = (bundleId: number, query?: Query<'bundles_changes'>) =>
  call<Schemas['Page_BundleChange_']>(
    'GET',
    `/bundles/${part(bundleId)}/changes` + queryString(query),
  );

/** Tables that were added, removed, or have another number of rows. */
export const bundlesTableChanges = (bundleId: number, query?: Query<'bundles_table_changes'>) =>
  call<Schemas['Page_TableChange_']>(
    'GET',
    `/bundles/${part(bundleId)}/table-changes` + queryString(query),
  );

/** The differing lines of a small text file in two bundles. */
export const bundlesDifference = (bundleId: number, query: Query<'bundles_difference'>) =>
  call<Schemas['FileDifference']>(
    'GET',
    `/bundles/${part(bundleId)}/difference` + queryString(query),
  );

/** Links to downloads that have not expired, without their secrets. */
export const linksList = () => call<Schemas['Page_DownloadLink_']>('GET', '/links');

/** Make a link to one download, for someone without a sign-in. */
export const linksMake = (
  bundleId: number,
  body: Optional<Schemas['DownloadLinkStart'], 'download' | 'as_copy' | 'hours' | 'uses' | 'note'>,
) => call<Schemas['DownloadLinkMade']>('POST', `/bundles/${part(bundleId)}/links`, body);

/** Revoke a link to a download. */
export const linksRemove = (linkId: number) => call<void>('DELETE', `/links/${part(linkId)}`);

/** Omissions of a download; its number is in its X-Download header. */
export const downloadsShow = (downloadId: string) =>
  call<Schemas['DownloadReport']>('GET', `/downloads/${part(downloadId)}`);

/** Drills, newest first. */
export const drillsList = (query?: Query<'drills_list'>) =>
  call<Schemas['Page_Restore_']>('GET', '/drills' + queryString(query));

/** Restore a bundle into a scratch place, compare it, and remove it again. */
export const drillsStart = (
  body: Optional<Schemas['DrillStart'], 'subject' | 'bundle' | 'store' | 'page' | 'site'>,
) => call<Schemas['Started']>('POST', '/drills', body);

/** The timetable of drills. */
export const drillsSettingsShow = () => call<Schemas['DrillSettings']>('GET', '/settings/drills');

/** Set the timetable of drills. */
export const drillsSettingsChange = (
  body: Optional<Schemas['DrillSettings'], 'timetable' | 'zone' | 'subjects' | 'page'>,
) => call<Schemas['DrillSettings']>('PUT', '/settings/drills', body);

/** Recoveries of lost hosts, newest first. */
export const recoveriesList = () => call<Schemas['Page_Recovery_']>('GET', '/recoveries');

/** Begin a recovery of a lost host: no run begins on it until the recovery ends. */
export const recoveriesStart = (body: Schemas['RecoveryStart']) =>
  call<Schemas['Recovery']>('POST', '/recoveries', body);

/** One recovery, with the state of each subject. */
export const recoveriesShow = (number: number) =>
  call<Schemas['Recovery']>('GET', `/recoveries/${part(number)}`);

/** End a recovery. */
export const recoveriesEnd = (number: number) =>
  call<Schemas['Recovery']>('POST', `/recoveries/${part(number)}/end`);

/** Restores, newest first. */
export const restoresList = (query?: Query<'restores_list'>) =>
  call<Schemas['Page_Restore_']>('GET', '/restores' + queryString(query));

/** Bring a bundle, or part of it, back: in place, or to an empty folder and named databases. */
export const restoresStart = (
  body: Optional<
    Schemas['RestoreStart'],
    | 'target'
    | 'store'
    | 'contents'
    | 'paths'
    | 'databases'
    | 'tables'
    | 'mail_domains'
    | 'mailboxes'
    | 'full_layout'
    | 'in_place'
    | 'relocation'
    | 'plan_only'
    | 'commands'
    | 'hold_page'
    | 'bundle_first'
    | 'whole_account'
    | 'web_address'
    | 'resume'
    | 'special_modes'
    | 'owners'
    | 'identity'
  >,
) => call<Schemas['Started']>('POST', '/restores', body);

/** Propose another place for a restore: a copy next to the original, or another account. */
export const restoresRelocation = (
  body: Optional<Schemas['RelocationAsk'], 'account' | 'site' | 'address'>,
) => call<Schemas['RelocationProposal']>('POST', '/restores/relocation', body);

/** One restore. */
export const restoresShow = (restoreId: number) =>
  call<Schemas['Restore']>('GET', `/restores/${part(restoreId)}`);

/** Cancel a restore. */
export const restoresCancel = (restoreId: number) =>
  call<Schemas['Restore']>('POST', `/restores/${part(restoreId)}/cancel`);

/** The log of a restore. */
export const restoresLog = (restoreId: number, query?: Query<'restores_log'>) =>
  call<Schemas['Page_LogLine_']>('GET', `/restores/${part(restoreId)}/log` + queryString(query));

/** Plan of a restore in place, path by path. */
export const restoresPlan = (restoreId: number, query?: Query<'restores_plan'>) =>
  call<Schemas['Page_RestorePlanLine_']>(
    'GET',
    `/restores/${part(restoreId)}/plan` + queryString(query),
  );

/** Put back what a restore in place has set aside. */
export const restoresUndo = (restoreId: number, body: Optional<Schemas['RestoreUndo'], 'force'>) =>
  call<Schemas['Started']>('POST', `/restores/${part(restoreId)}/undo`, body);

/** Remove what a restore in place has set aside. */
export const restoresDrop = (restoreId: number) =>
  call<Schemas['Started']>('POST', `/restores/${part(restoreId)}/drop`);

/** Accounts. */
export const accountsList = (query?: Query<'accounts_list'>) =>
  call<Schemas['Page_Account_']>('GET', '/accounts' + queryString(query));

/** Add an account with its sites, databases and mail domains. */
export const accountsAdd = (
  body: Optional<
    Schemas['AccountInput'],
    'sites' | 'databases' | 'mail_domains' | 'excludes' | 'contact' | 'tags'
  >,
) => call<Schemas['Account']>('POST', '/accounts', body);

/** One account. */
export const accountsShow = (name: string) =>
  call<Schemas['Account']>('GET', `/accounts/${part(name)}`);

/** Change an account and all that is in it. */
export const accountsChange = (
  name: string,
  body: Optional<
    Schemas['AccountInput'],
    'sites' | 'databases' | 'mail_domains' | 'excludes' | 'contact' | 'tags'
  >,
) => call<Schemas['Account']>('PUT', `/accounts/${part(name)}`, body);

/** Remove an account; its bundles stay unless asked otherwise. */
export const accountsRemove = (name: string, query?: Query<'accounts_remove'>) =>
  call<void>('DELETE', `/accounts/${part(name)}` + queryString(query));

/** Sites. */
export const sitesList = (query?: Query<'sites_list'>) =>
  call<Schemas['Page_SiteRow_']>('GET', '/sites' + queryString(query));

/** Accounts on a host that are new, changed or gone. */
export const hostsFind = (name: string) =>
  call<Schemas['Page_Proposed_']>('GET', `/hosts/${part(name)}/discovery`);

/** Accept accounts that were found. */
export const hostsAccept = (
  name: string,
  body: Optional<Schemas['Acceptance'], 'accounts' | 'all'>,
) => call<Schemas['Accepted']>('POST', `/hosts/${part(name)}/discovery`, body);

/** Findings of the last discovery on a host that belong to no account. */
export const hostsUnmatched = (name: string) =>
  call<Schemas['Unmatched']>('GET', `/hosts/${part(name)}/unmatched`);

/** Measure what a job would take of a subject. */
export const previewsStart = (body: Schemas['PreviewStart']) =>
  call<Schemas['Started']>('POST', '/previews', body);

/** One preview. */
export const previewsShow = (previewId: number) =>
  call<Schemas['Preview']>('GET', `/previews/${part(previewId)}`);

/** Cancel a preview. */
export const previewsCancel = (previewId: number) =>
  call<Schemas['Preview']>('POST', `/previews/${part(previewId)}/cancel`);

/** Protection of each site, database and mail domain. */
export const coverageList = (query?: Query<'coverage_list'>) =>
  call<Schemas['Page_CoverageRow_']>('GET', '/coverage' + queryString(query));

/** Hosts. */
export const hostsList = (query?: Query<'hosts_list'>) =>
  call<Schemas['Page_Host_']>('GET', '/hosts' + queryString(query));

/** Add a host. */
export const hostsAdd = (
  body: Optional<
    Schemas['HostInput'],
    | 'connection'
    | 'max_concurrent'
    | 'queue'
    | 'servers'
    | 'mail'
    | 'system'
    | 'account_system'
    | 'system_refresh'
    | 'hold_flag'
    | 'discovery'
    | 'secrets'
  >,
) => call<Schemas['Host']>('POST', '/hosts', body);

/** One host. */
export const hostsShow = (name: string) => call<Schemas['Host']>('GET', `/hosts/${part(name)}`);

/** Change a host. */
export const hostsChange = (
  name: string,
  body: Optional<
    Schemas['HostInput'],
    | 'connection'
    | 'max_concurrent'
    | 'queue'
    | 'servers'
    | 'mail'
    | 'system'
    | 'account_system'
    | 'system_refresh'
    | 'hold_flag'
    | 'discovery'
    | 'secrets'
  >,
) => call<Schemas['Host']>('PUT', `/hosts/${part(name)}`, body);

/** Remove a host that has no accounts. */
export const hostsRemove = (name: string) => call<void>('DELETE', `/hosts/${part(name)}`);

/** Test a host before saving it. */
export const hostsTryDraft = (
  body: Optional<
    Schemas['HostInput'],
    | 'connection'
    | 'max_concurrent'
    | 'queue'
    | 'servers'
    | 'mail'
    | 'system'
    | 'account_system'
    | 'system_refresh'
    | 'hold_flag'
    | 'discovery'
    | 'secrets'
  >,
  query?: Query<'hosts_try_draft'>,
) => call<Schemas['TryResult']>('POST', '/hosts/try' + queryString(query), body);

/** Look at a host and propose the rules by which its accounts are found. */
export const hostsPropose = (
  body: Optional<
    Schemas['HostInput'],
    | 'connection'
    | 'max_concurrent'
    | 'queue'
    | 'servers'
    | 'mail'
    | 'system'
    | 'account_system'
    | 'system_refresh'
    | 'hold_flag'
    | 'discovery'
    | 'secrets'
  >,
  query?: Query<'hosts_propose'>,
) => call<Schemas['HostProposal']>('POST', '/hosts/proposal' + queryString(query), body);

/** Prove each step of reaching a host, its databases and its files. */
export const hostsTry = (name: string) =>
  call<Schemas['TryResult']>('POST', `/hosts/${part(name)}/try`);

/** The starts of the coming days, how long they will take, and how they collide. */
export const calendarShow = (query?: Query<'calendar_show'>) =>
  call<Schemas['Calendar']>('GET', '/calendar' + queryString(query));

/** State of the calendar feed. */
export const calendarFeed = () => call<Schemas['CalendarFeed']>('GET', '/calendar/feed');

/** A new secret address for the calendar feed, in place of the one there was. */
export const calendarFeedMake = () => call<Schemas['CalendarFeed']>('POST', '/calendar/feed');

/** Switch the calendar feed off. */
export const calendarFeedRemove = () => call<void>('DELETE', '/calendar/feed');

/** Changes of settings, newest first, with what was before them. */
export const changesList = (query?: Query<'changes_list'>) =>
  call<Schemas['Page_SettingChange_']>('GET', '/changes' + queryString(query));

/** Copies that would retire now, and the space freed; nothing is removed. */
export const jobsRetiring = (name: string, query?: Query<'jobs_retiring'>) =>
  call<Schemas['Page_Retiring_']>('GET', `/jobs/${part(name)}/retiring` + queryString(query));

/** Summary of a job, before it is saved. */
export const jobsSummary = (
  body: Optional<
    Schemas['JobInput'],
    | 'subjects'
    | 'choice'
    | 'names'
    | 'contents'
    | 'messages'
    | 'rules'
    | 'databases'
    | 'notes'
    | 'commands'
    | 'hold_page'
    | 'max_copy_age'
    | 'mode'
    | 'full_every'
    | 'max_unused_percent'
    | 'compare_every'
    | 'timetable'
    | 'zone'
    | 'starting'
    | 'limits'
    | 'keep'
    | 'keep_on'
    | 'keep_gone'
    | 'report_to'
    | 'report_when'
    | 'report_contacts'
    | 'attach_log'
    | 'channels'
    | 'watch'
    | 'compression'
    | 'level'
    | 'piece_size'
    | 'enabled'
    | 'attach_up_to'
    | 'recipients'
  >,
) => call<Schemas['JobSummary']>('POST', '/jobs/summary', body);

/** Simulation of a job's copies on each day of the coming year, before it is saved. */
export const jobsSimulate = (
  body: Optional<
    Schemas['JobInput'],
    | 'subjects'
    | 'choice'
    | 'names'
    | 'contents'
    | 'messages'
    | 'rules'
    | 'databases'
    | 'notes'
    | 'commands'
    | 'hold_page'
    | 'max_copy_age'
    | 'mode'
    | 'full_every'
    | 'max_unused_percent'
    | 'compare_every'
    | 'timetable'
    | 'zone'
    | 'starting'
    | 'limits'
    | 'keep'
    | 'keep_on'
    | 'keep_gone'
    | 'report_to'
    | 'report_when'
    | 'report_contacts'
    | 'attach_log'
    | 'channels'
    | 'watch'
    | 'compression'
    | 'level'
    | 'piece_size'
    | 'enabled'
    | 'attach_up_to'
    | 'recipients'
  >,
  query?: Query<'jobs_simulate'>,
) => call<Schemas['JobSimulation']>('POST', '/jobs/simulate' + queryString(query), body);

/** Simulation of a store's usage on each day of the coming year, by the keep rules of its jobs. */
export const storesSimulate = (name: string) =>
  call<Schemas['StoreSimulation']>('GET', `/stores/${part(name)}/simulate`);

/** Jobs. */
export const jobsList = (query?: Query<'jobs_list'>) =>
  call<Schemas['Page_Job_']>('GET', '/jobs' + queryString(query));

/** Add a job. */
export const jobsAdd = (
  body: Optional<
    Schemas['JobInput'],
    | 'subjects'
    | 'choice'
    | 'names'
    | 'contents'
    | 'messages'
    | 'rules'
    | 'databases'
    | 'notes'
    | 'commands'
    | 'hold_page'
    | 'max_copy_age'
    | 'mode'
    | 'full_every'
    | 'max_unused_percent'
    | 'compare_every'
    | 'timetable'
    | 'zone'
    | 'starting'
    | 'limits'
    | 'keep'
    | 'keep_on'
    | 'keep_gone'
    | 'report_to'
    | 'report_when'
    | 'report_contacts'
    | 'attach_log'
    | 'channels'
    | 'watch'
    | 'compression'
    | 'level'
    | 'piece_size'
    | 'enabled'
    | 'attach_up_to'
    | 'recipients'
  >,
) => call<Schemas['Job']>('POST', '/jobs', body);

/** Defaults of a new job. */
export const jobDefaults = () => call<Schemas['JobDefaults']>('GET', '/defaults/job');

/** One job. */
export const jobsShow = (name: string) => call<Schemas['Job']>('GET', `/jobs/${part(name)}`);

/** Change a job. */
export const jobsChange = (
  name: string,
  body: Optional<
    Schemas['JobInput'],
    | 'subjects'
    | 'choice'
    | 'names'
    | 'contents'
    | 'messages'
    | 'rules'
    | 'databases'
    | 'notes'
    | 'commands'
    | 'hold_page'
    | 'max_copy_age'
    | 'mode'
    | 'full_every'
    | 'max_unused_percent'
    | 'compare_every'
    | 'timetable'
    | 'zone'
    | 'starting'
    | 'limits'
    | 'keep'
    | 'keep_on'
    | 'keep_gone'
    | 'report_to'
    | 'report_when'
    | 'report_contacts'
    | 'attach_log'
    | 'channels'
    | 'watch'
    | 'compression'
    | 'level'
    | 'piece_size'
    | 'enabled'
    | 'attach_up_to'
    | 'recipients'
  >,
) => call<Schemas['Job']>('PUT', `/jobs/${part(name)}`, body);

/** Remove a job; the bundles it made stay. */
export const jobsRemove = (name: string) => call<void>('DELETE', `/jobs/${part(name)}`);

/** A new job from another one's settings. */
export const jobsCopy = (
  name: string,
  body: Optional<Schemas['JobCopy'], 'stores' | 'timetable' | 'keep' | 'enabled'>,
) => call<Schemas['Job']>('POST', `/jobs/${part(name)}/copy`, body);

/** Revert a job to what it was before a change. */
export const jobsRevert = (name: string, change: number) =>
  call<Schemas['Job']>('POST', `/jobs/${part(name)}/revert/${part(change)}`);

/** Start a job now. */
export const jobsStart = (
  name: string,
  body: Optional<
    Schemas['JobStart'],
    'full' | 'compare' | 'names' | 'failed_of' | 'label' | 'keep_days'
  >,
) => call<Schemas['Started']>('POST', `/jobs/${part(name)}/start`, body);

/** Pauses, with their ends. */
export const pausesList = () => call<Schemas['Page_Pause_']>('GET', '/pauses');

/** Pause everything: no run begins; restores stay possible. */
export const pausesSet = (body: Optional<Schemas['PauseInput'], 'until' | 'reason'>) =>
  call<Schemas['Page_Pause_']>('PUT', '/pauses', body);

/** Lift the pause of everything. */
export const pausesLift = () => call<void>('DELETE', '/pauses');

/** Pause a job: no run begins. */
export const jobsPause = (
  name: string,
  body: Optional<Schemas['PauseInput'], 'until' | 'reason'>,
) => call<Schemas['Page_Pause_']>('PUT', `/jobs/${part(name)}/pause`, body);

/** Lift the pause of a job. */
export const jobsResume = (name: string) => call<void>('DELETE', `/jobs/${part(name)}/pause`);

/** The address that starts a job from outside, without its secret. */
export const jobsAddress = (name: string) =>
  call<Schemas['StartAddress']>('GET', `/jobs/${part(name)}/address`);

/** Make a secret address that starts a job, in place of the one that it had. */
export const jobsAddressMake = (
  name: string,
  body: Optional<Schemas['StartAddressInput'], 'networks' | 'per_hour' | 'enabled'>,
) => call<Schemas['StartAddressMade']>('POST', `/jobs/${part(name)}/address`, body);

/** Change who may use the address of a job. */
export const jobsAddressChange = (
  name: string,
  body: Optional<Schemas['StartAddressInput'], 'networks' | 'per_hour' | 'enabled'>,
) => call<Schemas['StartAddress']>('PUT', `/jobs/${part(name)}/address`, body);

/** Remove the address of a job. */
export const jobsAddressRemove = (name: string) =>
  call<void>('DELETE', `/jobs/${part(name)}/address`);

/** Alerts, newest first. */
export const alertsList = (query?: Query<'alerts_list'>) =>
  call<Schemas['Page_Alert_']>('GET', '/alerts' + queryString(query));

/** Acknowledge an alert; it stays open until the cause is removed. */
export const alertsAcknowledge = (
  alert: number,
  body: Optional<Schemas['Acknowledgement'], 'note'>,
) => call<Schemas['Alert']>('POST', `/alerts/${part(alert)}/acknowledge`, body);

/** Recipients of alerts, and thresholds for opening them. */
export const watchShow = () => call<Schemas['WatchSettings']>('GET', '/settings/watch');

/** Set the recipients of alerts and the thresholds. */
export const watchChange = (
  body: Optional<
    Schemas['WatchSettings'],
    | 'recipients'
    | 'channels'
    | 'quiet'
    | 'zone'
    | 'remind_hours'
    | 'full_days'
    | 'certificate_days'
    | 'lag_hours'
    | 'verify_days'
    | 'restores'
  >,
) => call<Schemas['WatchSettings']>('PUT', '/settings/watch', body);

/** Channels that reports go to. */
export const channelsList = () => call<Schemas['Page_Channel_']>('GET', '/channels');

/** Add a channel, or change the one of its name. */
export const channelsSave = (body: Optional<Schemas['ChannelInput'], 'secrets'>) =>
  call<Schemas['Page_Channel_']>('PUT', '/channels', body);

/** Remove a channel that nothing uses. */
export const channelsRemove = (name: string) => call<void>('DELETE', `/channels/${part(name)}`);

/** Send a test message to a channel, and show its answer. */
export const channelsTry = (name: string) =>
  call<Schemas['ChannelAnswer']>('POST', `/channels/${part(name)}/try`);

/** Reports, newest first. */
export const reportsList = (query?: Query<'reports_list'>) =>
  call<Schemas['Page_Report_']>('GET', '/reports' + queryString(query));

/** One report. */
export const reportsShow = (reportId: number) =>
  call<Schemas['ReportDetail']>('GET', `/reports/${part(reportId)}`);

/** The report of the last run of a job, as it would be written now. */
export const jobsReport = (name: string) =>
  call<Schemas['ReportPreview']>('GET', `/jobs/${part(name)}/report`);

/** Send the report of the last run of a job to one address, now. */
export const jobsReportTry = (name: string, query: Query<'jobs_report_try'>) =>
  call<Schemas['TryResult']>('POST', `/jobs/${part(name)}/report/try` + queryString(query));

/** Reports that wait to be sent. */
export const outboxList = () => call<Schemas['Page_OutboxItem_']>('GET', '/outbox');

/** Try all that waits again, now, and what could not be delivered in the last week. */
export const outboxSend = () => call<Schemas['Page_OutboxItem_']>('POST', '/outbox/send');

/** Remove a report that waits; it stays among the reports. */
export const outboxRemove = (reportId: number) => call<void>('DELETE', `/outbox/${part(reportId)}`);

/** The mail server for reports. */
export const mailShow = () => call<Schemas['MailServer']>('GET', '/settings/mail');

/** Set the mail server for reports. */
export const mailChange = (
  body: Optional<
    Schemas['MailServer'],
    | 'address'
    | 'port'
    | 'security'
    | 'user'
    | 'password'
    | 'password_set'
    | 'sender'
    | 'fallback_channel'
    | 'days'
    | 'digest_time'
    | 'digest_day'
  >,
) => call<Schemas['MailServer']>('PUT', '/settings/mail', body);

/** Send a test message to an address. */
export const mailTry = (query: Query<'mail_try'>) =>
  call<Schemas['TryResult']>('POST', '/settings/mail/try' + queryString(query));

/** The words of messages. */
export const templatesList = () => call<Schemas['Page_Template_']>('GET', '/templates');

/** The words of one message. */
export const templatesShow = (name: string) =>
  call<Schemas['Template']>('GET', `/templates/${part(name)}`);

/** Put a text in place of a template, or the one that came along again. */
export const templatesChange = (name: string, body: Optional<Schemas['TemplateText'], 'text'>) =>
  call<Schemas['Template']>('PUT', `/templates/${part(name)}`, body);

/** A message by the present template, with the last real run if there is one. */
export const templatesPreview = (name: string) =>
  call<Schemas['ReportPreview']>('GET', `/templates/${part(name)}/preview`);
