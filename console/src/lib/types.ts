// The shapes of the API under short names; they are generated from its description.
import type { components } from './openapi';

type Schemas = components['schemas'];

export interface Page<T> {
  items: T[];
  total: number;
  next?: string | null;
}
export type Account = Schemas['Account'];
export type Bundle = Schemas['Bundle'];
export type BundleChange = Schemas['BundleChange'];
export type BundleDetail = Schemas['BundleDetail'];
export type BundleEntry = Schemas['BundleEntry'];
export type Changes = Schemas['Changes'];
export type Calendar = Schemas['Calendar'];
export type Channel = Schemas['Channel'];
export type ChannelAnswer = Schemas['ChannelAnswer'];
export type CoverageRow = Schemas['CoverageRow'];
export type DatabaseRules = Schemas['JobDefaults']['databases'];
export type DownloadLinkMade = Schemas['DownloadLinkMade'];
export type DamageRow = Schemas['DamageRow'];
export type Growth = Schemas['Growth'];
export type Host = Schemas['Host'];
export type HostInput = Schemas['HostInput'];
export type HostProposal = Schemas['HostProposal'];
export type Identity = Schemas['Identity'];
export type Job = Schemas['Job'];
export type JobSummary = Schemas['JobSummary'];
export type KeyMade = Schemas['KeyMade'];
export type SealKey = Schemas['SealKey'];
export type FleetWorker = Schemas['FleetWorker'];
export type WorkerCode = Schemas['WorkerCode'];
export type KindField = Schemas['KindField'];
export type KindInfo = Schemas['KindInfo'];
export type Kinds = Schemas['Kinds'];
export type LogLine = Schemas['LogLine'];
export type MailServer = Schemas['MailServer'];
export type MaintenanceTask = Schemas['MaintenanceTask'];
export type Night = Schemas['Night'];
export type OutboxItem = Schemas['OutboxItem'];
export type Overview = Schemas['Overview'];
export type Pause = Schemas['Pause'];
export type Preview = Schemas['Preview'];
export type Proposed = Schemas['Proposed'];
export type Report = Schemas['Report'];
export type ReportDetail = Schemas['ReportDetail'];
export type ReportPreview = Schemas['ReportPreview'];
export type DrillPage = Schemas['DrillPage'];
export type DrillSettings = Schemas['DrillSettings'];
export type RelocationProposal = Schemas['RelocationProposal'];
export type Restore = Schemas['Restore'];
export type InPlace = Required<Schemas['InPlace']>;
export type RestorePlanLine = Schemas['RestorePlanLine'];
export type InstructionStep = Schemas['InstructionStep'];
export type VersionsFound = Schemas['VersionsFound'];
export type VersionedFile = Schemas['VersionedFile'];
export type Run = Schemas['Run'];
export type Rules = Schemas['JobDefaults']['rules'];
export type RunDetail = Schemas['RunDetail'];
export type SearchHit = Schemas['SearchHit'];
export type SettingChange = Schemas['SettingChange'];
export type StartAddress = Schemas['StartAddress'];
export type StartAddressMade = Schemas['StartAddressMade'];
export type Store = Schemas['Store'];
export type StoreProposal = Schemas['StoreProposal'];
export type StoreInput = Schemas['StoreInput'];
export type StoreFill = Schemas['StoreFill'];
export type SubjectNights = Schemas['SubjectNights'];
export type Task = Schemas['Task'];
export type Template = Schemas['Template'];
export type Token = Schemas['Token'];
export type Unmatched = Schemas['Unmatched'];
export type TryResult = Schemas['TryResult'];

export type WatchSettings = Required<Schemas['WatchSettings']>;
export type JobSimulation = Schemas['JobSimulation'];
export type Upcoming = Schemas['Upcoming'];

/** A job while it is edited: all fields, with the service's defaults. */
export type JobForm = Schemas['JobDefaults'];
export type AccountForm = Omit<Required<Schemas['AccountInput']>, 'databases'> & {
  databases: Required<Schemas['Database']>[];
};
/** Settings of a kind: fields by name. */
export type Settings = { kind: string } & Record<string, unknown>;
export type StoreAccess = Schemas['StoreAccess'];
export type StoreDay = Schemas['StoreDay'];
export type StoreShare = Schemas['StoreShare'];
export type StoreUsage = Schemas['StoreUsage'];
export type Transfer = Schemas['Transfer'];
