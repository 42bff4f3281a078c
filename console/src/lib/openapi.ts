// Generated from openapi.json by generate-calls.mjs. Do not edit.
export interface paths {
  '/api/v1/definitions': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** All settings as one TOML text; secrets only as references */
    get: operations['definitions_export'];
    put?: never;
    /** Apply such a text; with “dry_run”, say what would change */
    post: operations['definitions_apply'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/keys': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** The private keys that the service keeps */
    get: operations['keys_list'];
    put?: never;
    /** Keep a private key, so that the service can read what is sealed to it */
    post: operations['keys_keep'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/keys/make': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Make a pair of keys; the private one is shown this once */
    post: operations['keys_make'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/keys/{recipient}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    post?: never;
    /** Forget a private key; what is sealed to it stays */
    delete: operations['keys_remove'];
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/stores/{name}/verify': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Look whether the copies on a store are whole */
    post: operations['stores_verify'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/stores/{name}/repair': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Repair damaged files from intact copies on other stores */
    post: operations['stores_repair'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/stores/{name}/repack': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Repack: rewrite pieces without unused data */
    post: operations['stores_repack'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/stores/{name}/transfer': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Bring bundles that a store lacks from other stores */
    post: operations['stores_transfer'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/stores/{name}/seal': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Seal what a store holds to its public keys, or open it where it has none */
    post: operations['stores_seal'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/stores/{name}/retire': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Retire the copies on an append-only store, with separate credentials */
    post: operations['stores_retire'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/stores/{name}/import': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Take all bundles that a store holds into the records */
    post: operations['stores_import'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/stores/{name}/transfers': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Transfers to a store from other stores, newest first */
    get: operations['stores_transfers'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/maintenance': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Maintenance, newest first */
    get: operations['maintenance_list'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/maintenance/{maintenance_id}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** One maintenance task */
    get: operations['maintenance_show'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/maintenance/{maintenance_id}/cancel': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Cancel a maintenance task; every copy stays intact */
    post: operations['maintenance_cancel'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/maintenance/{maintenance_id}/log': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** The log of maintenance */
    get: operations['maintenance_log'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/damage': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Files on stores that are missing or altered, and what they harm */
    get: operations['damage_list'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/growth': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Growth of a subject, and its space on each store */
    get: operations['growth_show'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/overview': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Overview: alerts, next starts, recent runs */
    get: operations['overview'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/openapi.json': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** This description (OpenAPI 3.1) */
    get: operations['openapi_document'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/reference': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** A page to read this description */
    get: operations['reference'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/kinds': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Kinds of stores, hosts and database servers */
    get: operations['kinds_list'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/runs': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Runs, newest first */
    get: operations['runs_list'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/runs/{run_id}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** One run with its tasks */
    get: operations['runs_show'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/runs/{run_id}/cancel': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Cancel a run */
    post: operations['runs_cancel'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/runs/{run_id}/log': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** The log of a run */
    get: operations['runs_log'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/runs/{run_id}/events': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Live events of a run, until it ends */
    get: operations['runs_events'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/live': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Everything that happens, live */
    get: operations['live'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/search': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Accounts, sites, jobs, stores and bundles by name */
    get: operations['search'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/session': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** The signed-in user */
    get: operations['session_show'];
    put?: never;
    /** Sign in */
    post: operations['session_open'];
    /** Sign out */
    delete: operations['session_close'];
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/session/password': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Choose another password; ends all sessions */
    post: operations['password_change'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/tokens': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Your tokens */
    get: operations['tokens_list'];
    put?: never;
    /** Make a token; it is shown this once */
    post: operations['tokens_add'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/tokens/{name}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    post?: never;
    /** Remove a token */
    delete: operations['tokens_remove'];
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/stores': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Stores */
    get: operations['stores_list'];
    put?: never;
    /** Add a store; it is tried first */
    post: operations['stores_add'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/stores/{name}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** One store */
    get: operations['stores_show'];
    /** Change a store; it is tried first */
    put: operations['stores_change'];
    post?: never;
    /** Remove a store from the records; what is on it is not touched */
    delete: operations['stores_remove'];
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/stores/try': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Test a store before saving it */
    post: operations['stores_try_draft'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/stores/{name}/try': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Try a saved store */
    post: operations['stores_try'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/stores/{name}/proposals': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Hosts, accounts and jobs proposed by a store, until they are accepted */
    get: operations['stores_proposals'];
    put?: never;
    /** Accept proposals of a store: hosts without a connection, accounts, disabled jobs */
    post: operations['stores_accept'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/stores/{name}/proposals/dismiss': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Dismiss proposals of a store; its bundles stay in the records */
    post: operations['stores_dismiss'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/stores/{name}/usage': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Usage, growth and cost of a store, and the day it will be full */
    get: operations['stores_usage'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/stores/{name}/claim': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Claim a store that another installation wrote to */
    post: operations['stores_claim'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/stores/{name}/access': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** State of the access to a drive */
    get: operations['stores_access'];
    put?: never;
    /** Ask the owner of a drive for access */
    post: operations['stores_connect'];
    /** Forget the access to a drive */
    delete: operations['stores_disconnect'];
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/uploads': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Begin or continue an upload of bundles */
    post: operations['uploads_start'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/uploads/{name}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Progress of an upload */
    get: operations['uploads_show'];
    put?: never;
    post?: never;
    /** Remove an upload that is not a store yet */
    delete: operations['uploads_remove'];
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/uploads/{name}/parts': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    /** Add a part of a file: its bytes, at most 4 MiB */
    put: operations['uploads_add'];
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/uploads/{name}/finish': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Make a store of an upload, and import its bundles */
    post: operations['uploads_finish'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/workers': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Workers on other machines */
    get: operations['workers_list'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/workers/codes': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** A code that enrols one worker, within a day */
    post: operations['workers_code'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/workers/{name}/drain': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Let a worker drain, or give it orders again */
    post: operations['workers_drain'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/workers/{name}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    post?: never;
    /** Remove a worker; its tasks end */
    delete: operations['workers_remove'];
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/fleet/enrolments/{code}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Enrol a worker: a message sealed with its code */
    post: operations['fleet_enrol'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/fleet/workers/{worker}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** A message of a worker, sealed with its key */
    post: operations['fleet_message'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/bundles': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Bundles, newest first */
    get: operations['bundles_list'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/versions': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Versions of files over all bundles of a subject */
    get: operations['bundles_versions'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/bundles/{bundle_id}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** One bundle */
    get: operations['bundles_show'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/bundles/{bundle_id}/instructions': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** How to bring a bundle back, with Fasciculus and by hand */
    get: operations['bundles_instructions'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/bundles/{bundle_id}/pin': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    /** Pin a bundle, with a reason, until a time or until it is unpinned */
    put: operations['bundles_pin'];
    post?: never;
    /** Let a bundle retire again as the keep rule says */
    delete: operations['bundles_unpin'];
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/bundles/{bundle_id}/files': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Contents of a folder in a bundle */
    get: operations['bundles_files'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/bundles/{bundle_id}/tables': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Databases of a bundle, by their tables */
    get: operations['bundles_tables'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/bundles/{bundle_id}/search': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Entries whose path holds the words */
    get: operations['bundles_search'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/bundles/{bundle_id}/changes': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Entries added, changed and removed in a bundle */
    get: operations['bundles_changes'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/bundles/{bundle_id}/table-changes': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Tables that were added, removed, or have another number of rows */
    get: operations['bundles_table_changes'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/bundles/{bundle_id}/difference': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** The differing lines of a small text file in two bundles */
    get: operations['bundles_difference'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/links': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Links to downloads that have not expired, without their secrets */
    get: operations['links_list'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/bundles/{bundle_id}/links': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Make a link to one download, for someone without a sign-in */
    post: operations['links_make'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/links/{link_id}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    post?: never;
    /** Revoke a link to a download */
    delete: operations['links_remove'];
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/bundles/{bundle_id}/download': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** A bundle, or part of it, as one archive */
    get: operations['bundles_download'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/downloads/{download_id}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Omissions of a download; its number is in its X-Download header */
    get: operations['downloads_show'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/drills': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Drills, newest first */
    get: operations['drills_list'];
    put?: never;
    /** Restore a bundle into a scratch place, compare it, and remove it again */
    post: operations['drills_start'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/settings/drills': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** The timetable of drills */
    get: operations['drills_settings_show'];
    /** Set the timetable of drills */
    put: operations['drills_settings_change'];
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/recoveries': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Recoveries of lost hosts, newest first */
    get: operations['recoveries_list'];
    put?: never;
    /** Begin a recovery of a lost host: no run begins on it until the recovery ends */
    post: operations['recoveries_start'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/recoveries/{number}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** One recovery, with the state of each subject */
    get: operations['recoveries_show'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/recoveries/{number}/end': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** End a recovery */
    post: operations['recoveries_end'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/restores': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Restores, newest first */
    get: operations['restores_list'];
    put?: never;
    /** Bring a bundle, or part of it, back: in place, or to an empty folder and named databases */
    post: operations['restores_start'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/restores/relocation': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Propose another place for a restore: a copy next to the original, or another account */
    post: operations['restores_relocation'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/restores/{restore_id}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** One restore */
    get: operations['restores_show'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/restores/{restore_id}/cancel': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Cancel a restore */
    post: operations['restores_cancel'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/restores/{restore_id}/log': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** The log of a restore */
    get: operations['restores_log'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/restores/{restore_id}/plan': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Plan of a restore in place, path by path */
    get: operations['restores_plan'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/restores/{restore_id}/undo': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Put back what a restore in place has set aside */
    post: operations['restores_undo'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/restores/{restore_id}/drop': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Remove what a restore in place has set aside */
    post: operations['restores_drop'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/accounts': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Accounts */
    get: operations['accounts_list'];
    put?: never;
    /** Add an account with its sites, databases and mail domains */
    post: operations['accounts_add'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/accounts/{name}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** One account */
    get: operations['accounts_show'];
    /** Change an account and all that is in it */
    put: operations['accounts_change'];
    post?: never;
    /** Remove an account; its bundles stay unless asked otherwise */
    delete: operations['accounts_remove'];
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/sites': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Sites */
    get: operations['sites_list'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/hosts/{name}/discovery': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Accounts on a host that are new, changed or gone */
    get: operations['hosts_find'];
    put?: never;
    /** Accept accounts that were found */
    post: operations['hosts_accept'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/hosts/{name}/unmatched': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Findings of the last discovery on a host that belong to no account */
    get: operations['hosts_unmatched'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/previews': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Measure what a job would take of a subject */
    post: operations['previews_start'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/previews/{preview_id}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** One preview */
    get: operations['previews_show'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/previews/{preview_id}/cancel': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Cancel a preview */
    post: operations['previews_cancel'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/coverage': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Protection of each site, database and mail domain */
    get: operations['coverage_list'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/hosts': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Hosts */
    get: operations['hosts_list'];
    put?: never;
    /** Add a host */
    post: operations['hosts_add'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/hosts/{name}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** One host */
    get: operations['hosts_show'];
    /** Change a host */
    put: operations['hosts_change'];
    post?: never;
    /** Remove a host that has no accounts */
    delete: operations['hosts_remove'];
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/hosts/try': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Test a host before saving it */
    post: operations['hosts_try_draft'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/hosts/proposal': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Look at a host and propose the rules by which its accounts are found */
    post: operations['hosts_propose'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/hosts/{name}/try': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Prove each step of reaching a host, its databases and its files */
    post: operations['hosts_try'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/calendar': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** The starts of the coming days, how long they will take, and how they collide */
    get: operations['calendar_show'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/calendar/feed': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** State of the calendar feed */
    get: operations['calendar_feed'];
    put?: never;
    /** A new secret address for the calendar feed, in place of the one there was */
    post: operations['calendar_feed_make'];
    /** Switch the calendar feed off */
    delete: operations['calendar_feed_remove'];
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/changes': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Changes of settings, newest first, with what was before them */
    get: operations['changes_list'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/jobs/{name}/retiring': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Copies that would retire now, and the space freed; nothing is removed */
    get: operations['jobs_retiring'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/jobs/summary': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Summary of a job, before it is saved */
    post: operations['jobs_summary'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/jobs/simulate': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Simulation of a job's copies on each day of the coming year, before it is saved */
    post: operations['jobs_simulate'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/stores/{name}/simulate': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Simulation of a store's usage on each day of the coming year, by the keep rules of its jobs */
    get: operations['stores_simulate'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/jobs': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Jobs */
    get: operations['jobs_list'];
    put?: never;
    /** Add a job */
    post: operations['jobs_add'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/defaults/job': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Defaults of a new job */
    get: operations['job_defaults'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/jobs/{name}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** One job */
    get: operations['jobs_show'];
    /** Change a job */
    put: operations['jobs_change'];
    post?: never;
    /** Remove a job; the bundles it made stay */
    delete: operations['jobs_remove'];
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/jobs/{name}/copy': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** A new job from another one's settings */
    post: operations['jobs_copy'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/jobs/{name}/revert/{change}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Revert a job to what it was before a change */
    post: operations['jobs_revert'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/jobs/{name}/start': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Start a job now */
    post: operations['jobs_start'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/pauses': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Pauses, with their ends */
    get: operations['pauses_list'];
    /** Pause everything: no run begins; restores stay possible */
    put: operations['pauses_set'];
    post?: never;
    /** Lift the pause of everything */
    delete: operations['pauses_lift'];
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/jobs/{name}/pause': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    /** Pause a job: no run begins */
    put: operations['jobs_pause'];
    post?: never;
    /** Lift the pause of a job */
    delete: operations['jobs_resume'];
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/jobs/{name}/address': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** The address that starts a job from outside, without its secret */
    get: operations['jobs_address'];
    /** Change who may use the address of a job */
    put: operations['jobs_address_change'];
    /** Make a secret address that starts a job, in place of the one that it had */
    post: operations['jobs_address_make'];
    /** Remove the address of a job */
    delete: operations['jobs_address_remove'];
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/alerts': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Alerts, newest first */
    get: operations['alerts_list'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/alerts/{alert}/acknowledge': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Acknowledge an alert; it stays open until the cause is removed */
    post: operations['alerts_acknowledge'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/settings/watch': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Recipients of alerts, and thresholds for opening them */
    get: operations['watch_show'];
    /** Set the recipients of alerts and the thresholds */
    put: operations['watch_change'];
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/channels': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Channels that reports go to */
    get: operations['channels_list'];
    /** Add a channel, or change the one of its name */
    put: operations['channels_save'];
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/channels/{name}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    post?: never;
    /** Remove a channel that nothing uses */
    delete: operations['channels_remove'];
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/channels/{name}/try': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Send a test message to a channel, and show its answer */
    post: operations['channels_try'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/messages/{kind}/{name}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** A message as it looks: a report by its number, the next report of a job, a template filled in */
    get: operations['messages_show'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/reports': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Reports, newest first */
    get: operations['reports_list'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/reports/{report_id}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** One report */
    get: operations['reports_show'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/jobs/{name}/report': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** The report of the last run of a job, as it would be written now */
    get: operations['jobs_report'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/jobs/{name}/report/try': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Send the report of the last run of a job to one address, now */
    post: operations['jobs_report_try'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/outbox': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Reports that wait to be sent */
    get: operations['outbox_list'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/outbox/send': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Try all that waits again, now, and what could not be delivered in the last week */
    post: operations['outbox_send'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/outbox/{report_id}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    post?: never;
    /** Remove a report that waits; it stays among the reports */
    delete: operations['outbox_remove'];
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/settings/mail': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** The mail server for reports */
    get: operations['mail_show'];
    /** Set the mail server for reports */
    put: operations['mail_change'];
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/settings/mail/try': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Send a test message to an address */
    post: operations['mail_try'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/templates': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** The words of messages */
    get: operations['templates_list'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/templates/{name}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** The words of one message */
    get: operations['templates_show'];
    /** Put a text in place of a template, or the one that came along again */
    put: operations['templates_change'];
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/api/v1/templates/{name}/preview': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** A message by the present template, with the last real run if there is one */
    get: operations['templates_preview'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/health': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Whether the service works; needs no sign-in */
    get: operations['health'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
}
export type webhooks = Record<string, never>;
export interface components {
  schemas: {
    /**
     * Acceptance
     * @description The proposals to accept: accounts by name, or all of them.
     */
    Acceptance: {
      /**
       * Accounts
       * @default []
       */
      accounts: string[];
      /**
       * All
       * @default false
       */
      all: boolean;
    };
    /**
     * Accepted
     * @description The number of accepted proposals.
     */
    Accepted: {
      /** Count */
      count: number;
    };
    /**
     * AcceptedProposals
     * @description The added things in words, those not added with the reason, and what has to be set because no
     *     bundle knows it.
     */
    AcceptedProposals: {
      /** Added */
      added: string[];
      /**
       * Refused
       * @default []
       */
      refused: string[];
      /**
       * Needed
       * @default []
       */
      needed: string[];
    };
    /**
     * Account
     * @description An account, with the jobs that cover it and its newest good copy.
     */
    Account: {
      /** Name */
      name: string;
      /** Host */
      host: string;
      /** Home */
      home: string;
      /**
       * Sites
       * @default []
       */
      sites: components['schemas']['Site'][];
      /**
       * Databases
       * @default []
       */
      databases: components['schemas']['Database'][];
      /**
       * Mail Domains
       * @default []
       */
      mail_domains: string[];
      /**
       * Excludes
       * @default []
       */
      excludes: string[];
      /**
       * Contact
       * @default
       */
      contact: string;
      /**
       * Tags
       * @default []
       */
      tags: string[];
      /**
       * Gone Since
       * @default null
       */
      gone_since: string | null;
      /**
       * Covered By
       * @default []
       */
      covered_by: string[];
      /**
       * Newest
       * @default null
       */
      newest: string | null;
      /**
       * Newest Bytes
       * @default 0
       */
      newest_bytes: number;
      /**
       * Bundles
       * @default 0
       */
      bundles: number;
    };
    /**
     * AccountInput
     * @description An account to be saved.
     */
    AccountInput: {
      /** Name */
      name: string;
      /** Host */
      host: string;
      /** Home */
      home: string;
      /**
       * Sites
       * @default []
       */
      sites: components['schemas']['Site'][];
      /**
       * Databases
       * @default []
       */
      databases: components['schemas']['Database'][];
      /**
       * Mail Domains
       * @default []
       */
      mail_domains: string[];
      /**
       * Excludes
       * @default []
       */
      excludes: string[];
      /**
       * Contact
       * @default
       */
      contact: string;
      /**
       * Tags
       * @default []
       */
      tags: string[];
    };
    /**
     * Acknowledgement
     * @description The acknowledgement of an alert, with a comment for others.
     */
    Acknowledgement: {
      /**
       * Note
       * @default
       */
      note: string;
    };
    /**
     * Action
     * @description An action of a restore in place on one path.
     * @enum {string}
     */
    Action: 'create' | 'replace' | 'remove' | 'attributes' | 'keep';
    /**
     * Alert
     * @description Something that the watch found; open until it is over. ``level`` is broken or look, ``check``
     *     the name of the standing check.
     */
    Alert: {
      /** Id */
      id: number;
      /** Key */
      key: string;
      /** Check */
      check: string;
      /**
       * Level
       * @enum {string}
       */
      level: 'broken' | 'look';
      /**
       * Job
       * @default
       */
      job: string;
      /** About */
      about: string;
      /** Text */
      text: string;
      /** Link */
      link: string;
      /**
       * Opened
       * Format: date-time
       */
      opened: string;
      /**
       * Closed
       * @default null
       */
      closed: string | null;
      /**
       * Told
       * @default null
       */
      told: string | null;
      /**
       * Acknowledged
       * @default null
       */
      acknowledged: string | null;
      /**
       * Acknowledged By
       * @default
       */
      acknowledged_by: string;
      /**
       * Note
       * @default
       */
      note: string;
    };
    /**
     * Applied
     * @description The changes that applying made or would make; ``lacking`` lists the secrets that it needs.
     */
    Applied: {
      /** Changes */
      changes: components['schemas']['Change'][];
      /** Same */
      same: number;
      /**
       * Lacking
       * @default []
       */
      lacking: string[];
    };
    /**
     * Attention
     * @description Something that needs attention: what, and where to go; the open alert of it, and who has
     *     acknowledged that.
     */
    Attention: {
      /** Level */
      level: string;
      /** Text */
      text: string;
      /** Link */
      link: string;
      /**
       * Alert
       * @default null
       */
      alert: number | null;
      /**
       * Acknowledged By
       * @default
       */
      acknowledged_by: string;
      /**
       * Note
       * @default
       */
      note: string;
    };
    /**
     * Bundle
     * @description A subject's complete state at one point in time: ``entries`` of ``bytes``, of which
     *     ``new_bytes`` were new and took ``packed`` bytes after packing.
     */
    Bundle: {
      /** Id */
      id: number;
      /** Name */
      name: string;
      subject_kind: components['schemas']['SubjectKind'];
      /** Subject */
      subject: string;
      /** Job */
      job: string;
      /** Host */
      host: string;
      /** Run */
      run: number | null;
      /**
       * Moment
       * Format: date-time
       */
      moment: string;
      /** Entries */
      entries: number;
      /** Bytes */
      bytes: number;
      /**
       * New Bytes
       * @default 0
       */
      new_bytes: number;
      /** Packed */
      packed: number;
      /**
       * Outcome
       * @default done
       */
      outcome: string;
      /**
       * Label
       * @default
       */
      label: string;
      /** @default null */
      pin: components['schemas']['Pin'] | null;
      /**
       * Copies
       * @default []
       */
      copies: components['schemas']['Copy'][];
    };
    /**
     * BundleChange
     * @description An entry that differs from the previous bundle: ``state`` is new, changed or gone; ``what``
     *     says whether contents or rights changed. ``before`` are its bytes then.
     */
    BundleChange: {
      kind: components['schemas']['Contents'];
      /** Path */
      path: string;
      /** Type */
      type: string;
      /**
       * State
       * @enum {string}
       */
      state: 'new' | 'changed' | 'gone';
      /**
       * What
       * @default
       */
      what: string;
      /**
       * Bytes
       * @default 0
       */
      bytes: number;
      /**
       * Before
       * @default 0
       */
      before: number;
    };
    /**
     * BundleDetail
     * @description A bundle with the summary of its ``bundle.json``.
     *
     *     ``brings`` is full or incremental, ``base`` the time of the full bundle that it builds on, and
     *     ``unused_share`` the share of the data in its pieces that it does not need, from 0 to 1.
     */
    BundleDetail: {
      /** Id */
      id: number;
      /** Name */
      name: string;
      subject_kind: components['schemas']['SubjectKind'];
      /** Subject */
      subject: string;
      /** Job */
      job: string;
      /** Host */
      host: string;
      /** Run */
      run: number | null;
      /**
       * Moment
       * Format: date-time
       */
      moment: string;
      /** Entries */
      entries: number;
      /** Bytes */
      bytes: number;
      /**
       * New Bytes
       * @default 0
       */
      new_bytes: number;
      /** Packed */
      packed: number;
      /**
       * Outcome
       * @default done
       */
      outcome: string;
      /**
       * Label
       * @default
       */
      label: string;
      /** @default null */
      pin: components['schemas']['Pin'] | null;
      /**
       * Copies
       * @default []
       */
      copies: components['schemas']['Copy'][];
      /**
       * Brings
       * @default full
       */
      brings: string;
      /**
       * Base
       * @default
       */
      base: string;
      /**
       * Unused Share
       * @default 0
       */
      unused_share: number;
      /** Contents */
      contents: {
        [key: string]: components['schemas']['ContentsInfo'];
      };
      /** Databases */
      databases: components['schemas']['DatabaseInfo'][];
      /** Pieces */
      pieces: components['schemas']['PieceInfo'][];
      /** Compression */
      compression: string;
      /** @default null */
      changes: components['schemas']['Changes'] | null;
      /**
       * Sealed To
       * @default []
       */
      sealed_to: string[];
    };
    /**
     * BundleEntry
     * @description An entry of a folder; for folders, ``files`` and ``bytes`` cover all that is below.
     */
    BundleEntry: {
      /** Name */
      name: string;
      /** Path */
      path: string;
      /** Type */
      type: string;
      /** Bytes */
      bytes: number;
      /** Files */
      files: number;
      /** Mode */
      mode: string;
      /** User */
      user: string;
      /** Group */
      group: string;
      /**
       * Mtime
       * Format: date-time
       */
      mtime: string;
      /**
       * Target
       * @default null
       */
      target: string | null;
    };
    /**
     * BundleFiles
     * @description Entries of one folder of a bundle; ``more`` says that there are others.
     */
    BundleFiles: {
      kind: components['schemas']['Contents'];
      /** Folder */
      folder: string;
      /** Items */
      items: components['schemas']['BundleEntry'][];
      /** More */
      more: boolean;
    };
    /**
     * Calendar
     * @description The coming days: starts, and collisions of the coming week. ``quiet`` are the hours in which
     *     the watch sends nothing, in the time zone ``zone``.
     */
    Calendar: {
      /**
       * Begin
       * Format: date-time
       */
      begin: string;
      /**
       * End
       * Format: date-time
       */
      end: string;
      /** Starts */
      starts: components['schemas']['CalendarStart'][];
      /**
       * More
       * @default 0
       */
      more: number;
      /** Collisions */
      collisions: components['schemas']['CalendarCollision'][];
      /**
       * Quiet
       * @default
       */
      quiet: string;
      /**
       * Zone
       * @default UTC
       */
      zone: string;
    };
    /**
     * CalendarCollision
     * @description Two jobs whose runs will go on at the same time on the same hosts or stores: how often, when
     *     first, and by how many minutes ``second`` could be moved to meet nothing; None where no such
     *     time is near. ``sentence`` says so.
     */
    CalendarCollision: {
      /** First */
      first: string;
      /** Second */
      second: string;
      /** Places */
      places: string[];
      /** Count */
      count: number;
      /**
       * At
       * Format: date-time
       */
      at: string;
      /** Moments */
      moments: string[];
      /** Move */
      move: number | null;
      /** Sentence */
      sentence: string;
    };
    /**
     * CalendarFeed
     * @description The calendar feed; its secret address only when it was just created.
     */
    CalendarFeed: {
      /**
       * Made
       * @default null
       */
      made: string | null;
      /**
       * Url
       * @default
       */
      url: string;
    };
    /**
     * CalendarStart
     * @description A start to come; ``seconds`` is how long the run will take, by how long the last ones took,
     *     None where there was none.
     */
    CalendarStart: {
      /** Job */
      job: string;
      /**
       * At
       * Format: date-time
       */
      at: string;
      /** Zone */
      zone: string;
      /**
       * Seconds
       * @default null
       */
      seconds: number | null;
    };
    /**
     * Change
     * @description A change that applying made or would make: ``added``, ``changed`` with its fields, or
     *     ``kept`` though the text does not mention it.
     */
    Change: {
      /**
       * Action
       * @enum {string}
       */
      action: 'added' | 'changed' | 'kept';
      /** Kind */
      kind: string;
      /** Name */
      name: string;
      /**
       * Fields
       * @default []
       */
      fields: string[];
    };
    /**
     * Changes
     * @description Entries that are new, changed and gone since the previous bundle, and by how many bytes the
     *     subject grew.
     */
    Changes: {
      /**
       * New
       * @default 0
       */
      new: number;
      /**
       * Changed
       * @default 0
       */
      changed: number;
      /**
       * Gone
       * @default 0
       */
      gone: number;
      /**
       * Grew
       * @default 0
       */
      grew: number;
    };
    /**
     * Channel
     * @description A channel in a list. ``where`` is where it sends to, without anything secret.
     */
    Channel: {
      /** Name */
      name: string;
      settings:
        | components['schemas']['SettingsWebhookSettings']
        | components['schemas']['SettingsChatSettings']
        | components['schemas']['SettingsMailSettings'];
      /** Where */
      where: string;
      /**
       * Secrets Set
       * @default []
       */
      secrets_set: string[];
      /**
       * Jobs
       * @default []
       */
      jobs: string[];
    };
    /**
     * ChannelAnswer
     * @description The answer of a channel: its HTTP status if it has one, its duration in seconds, and the
     *     beginning of the body.
     */
    ChannelAnswer: {
      /** Ok */
      ok: boolean;
      /** Status */
      status: number | null;
      /** Seconds */
      seconds: number;
      /** Body */
      body: string;
      /**
       * Error
       * @default
       */
      error: string;
    };
    /**
     * ChannelInput
     * @description A channel to be saved. Secrets you omit stay as they were; an empty text removes one.
     *
     *     The fields of its previous form (``url``, ``form``, ``template``, ``secret``) are accepted for
     *     one version.
     */
    ChannelInput: {
      /** Name */
      name: string;
      settings:
        | components['schemas']['SettingsWebhookSettings']
        | components['schemas']['SettingsChatSettings']
        | components['schemas']['SettingsMailSettings'];
      /**
       * Secrets
       * @default {}
       */
      secrets: {
        [key: string]: string | null;
      };
    };
    /**
     * Command
     * @description A command on the host around a task. ``stops`` says that a failing ``before`` stops the
     *     task.
     */
    Command: {
      /**
       * When
       * @enum {string}
       */
      when: 'before' | 'after_success' | 'after_failure' | 'always';
      /** Command */
      command: string;
      /**
       * Seconds
       * @default 300
       */
      seconds: number;
      /**
       * Stops
       * @default true
       */
      stops: boolean;
    };
    /**
     * Conflicts
     * @description The treatment of a path that differs from the bundle's.
     * @enum {string}
     */
    Conflicts: 'replace' | 'newer' | 'both' | 'skip';
    /**
     * Contents
     * @description A kind of contents, as listings, manifests, jobs and the API write it; in the order in which
     *     a bundle has them.
     * @enum {string}
     */
    Contents: 'files' | 'databases' | 'mail' | 'system' | 'notes';
    /**
     * ContentsInfo
     * @description The size of one kind of contents in a bundle, and the unreadable paths.
     */
    ContentsInfo: {
      /**
       * Entries
       * @default 0
       */
      entries: number;
      /**
       * Bytes
       * @default 0
       */
      bytes: number;
      /**
       * Unreadable
       * @default []
       */
      unreadable: string[];
    };
    /**
     * Copy
     * @description A bundle on one store.
     */
    Copy: {
      /** Store */
      store: string;
      /**
       * Made
       * Format: date-time
       */
      made: string;
      /**
       * Verified
       * @default null
       */
      verified: string | null;
      /**
       * Verified Deep
       * @default null
       */
      verified_deep: string | null;
      /**
       * Sound
       * @default true
       */
      sound: boolean;
      /**
       * Locked Until
       * @default null
       */
      locked_until: string | null;
    };
    /**
     * CoverageRow
     * @description A site, database or mail domain. ``state`` is protected, late (its newest copy is older than
     *     its jobs require), never (a job has it, but no copy yet) or bare (no job has it).
     */
    CoverageRow: {
      /**
       * Kind
       * @enum {string}
       */
      kind: 'account' | 'site' | 'database' | 'mail domain';
      /** Name */
      name: string;
      /** Account */
      account: string;
      /** Host */
      host: string;
      /**
       * State
       * @enum {string}
       */
      state: 'protected' | 'late' | 'never' | 'bare';
      /** Jobs */
      jobs: string[];
      /** Newest */
      newest: string | null;
    };
    /**
     * DamageRow
     * @description A file on a store that is missing or altered.
     *
     *     ``bundles`` need it; ``files`` are the first of the ``harmed`` entries that cannot be restored
     *     intact from this store. ``repair_from`` lists the other stores that should have it, or “the
     *     records”; ``stored_again`` is the first bundle that stored its contents again.
     */
    DamageRow: {
      /** Id */
      id: number;
      /** Store */
      store: string;
      subject_kind: components['schemas']['SubjectKind'];
      /** Subject */
      subject: string;
      /** File */
      file: string;
      /** Reason */
      reason: string;
      /** Bundles */
      bundles: string[];
      /** Files */
      files: string[];
      /** Harmed */
      harmed: number;
      /**
       * Found
       * Format: date-time
       */
      found: string;
      /**
       * Repair From
       * @default []
       */
      repair_from: string[];
      /**
       * Stored Again
       * @default
       */
      stored_again: string;
    };
    /**
     * Database
     * @description ``path`` is that of a database file below the account's home; ``site`` the one that uses
     *     it.
     */
    Database: {
      /** Engine */
      engine: string;
      /** Name */
      name: string;
      /**
       * Path
       * @default
       */
      path: string;
      /**
       * Site
       * @default null
       */
      site: string | null;
    };
    /**
     * DatabaseInfo
     * @description A database in a bundle; ``tables`` are row counts by table.
     */
    DatabaseInfo: {
      /** Engine */
      engine: string;
      /** Name */
      name: string;
      /**
       * Server Version
       * @default
       */
      server_version: string;
      /**
       * Character Set
       * @default
       */
      character_set: string;
      /**
       * Folder
       * @default
       */
      folder: string;
      /**
       * Origin
       * @default
       */
      origin: string;
      /**
       * Tables
       * @default {}
       */
      tables: {
        [key: string]: number;
      };
    };
    /**
     * DatabaseTables
     * @description A database in a bundle by its tables. ``folder`` is where it lies among the contents, and
     *     ``bytes`` all of it.
     */
    DatabaseTables: {
      /** Engine */
      engine: string;
      /** Engine Title */
      engine_title: string;
      /** Name */
      name: string;
      /** Folder */
      folder: string;
      /** Bytes */
      bytes: number;
      /** Tables */
      tables: components['schemas']['TableInfo'][];
    };
    /**
     * Databases
     * @description Rules for databases, tables and rows. Patterns have ``*`` and ``?``; those of tables are
     *     ``database.table``. Empty means all.
     */
    Databases: {
      /**
       * Names
       * @default []
       */
      names: string[];
      /**
       * Without
       * @default []
       */
      without: string[];
      /**
       * Tables
       * @default []
       */
      tables: string[];
      /**
       * Without Tables
       * @default []
       */
      without_tables: string[];
      /**
       * Without Rows
       * @default []
       */
      without_rows: string[];
      /**
       * Structure Only
       * @default false
       */
      structure_only: boolean;
      /**
       * Check Tables
       * @default false
       */
      check_tables: boolean;
    };
    /**
     * Definitions
     * @description All that a person sets, as one TOML text: channels, settings of mail and watch, templates,
     *     hosts, accounts, stores and jobs. ``secrets`` has those that the text
     *     names by reference, by their place, as in ``stores.boathouse.password``.
     */
    Definitions: {
      /** Text */
      text: string;
      /**
       * Secrets
       * @default {}
       */
      secrets: {
        [key: string]: string;
      };
      /**
       * Dry Run
       * @default false
       */
      dry_run: boolean;
    };
    /**
     * DiscoveryRules
     * @description The discovery rules of a host, with patterns such as ``/home/{account}``.
     *
     *     ``sites`` are document roots with ``{account}`` and ``{site}`` in them, ``nginx`` and ``apache``
     *     file patterns of virtual hosts; ``database_prefix`` is such as ``{account}_``. With
     *     ``automatic`` new and changed accounts are accepted every hour. A deleted account and its
     *     bundles are forgotten after ``forget_after`` days; 0 means only by hand.
     */
    DiscoveryRules: {
      /**
       * Homes
       * @default []
       */
      homes: string[];
      /**
       * Sites
       * @default []
       */
      sites: string[];
      /**
       * Nginx
       * @default []
       */
      nginx: string[];
      /**
       * Apache
       * @default []
       */
      apache: string[];
      /**
       * Database Prefix
       * @default
       */
      database_prefix: string;
      /**
       * By Grants
       * @default false
       */
      by_grants: boolean;
      /**
       * Sqlite
       * @default false
       */
      sqlite: boolean;
      /**
       * Mail
       * @default false
       */
      mail: boolean;
      /**
       * Leave Out
       * @default []
       */
      leave_out: string[];
      /**
       * Automatic
       * @default false
       */
      automatic: boolean;
      /**
       * Forget After
       * @default 0
       */
      forget_after: number;
    };
    /**
     * DownloadLink
     * @description A link to a download, or to the files of a bundle for another installation, without its
     *     secret, and how often it was used.
     */
    DownloadLink: {
      /** Id */
      id: number;
      /** Bundle */
      bundle: number;
      subject_kind: components['schemas']['SubjectKind'];
      /** Subject */
      subject: string;
      download: components['schemas']['DownloadQuery'];
      /**
       * As Copy
       * @default false
       */
      as_copy: boolean;
      /**
       * Note
       * @default
       */
      note: string;
      /**
       * Created
       * Format: date-time
       */
      created: string;
      /** Created By */
      created_by: string;
      /**
       * Expires
       * Format: date-time
       */
      expires: string;
      /** Uses */
      uses: number;
      /**
       * Used
       * @default 0
       */
      used: number;
      /**
       * Last Used
       * @default null
       */
      last_used: string | null;
    };
    /**
     * DownloadLinkMade
     * @description A new link. ``url`` is shown only once; with ``as_copy`` so is ``code``, which goes to the
     *     other installation next to the address.
     */
    DownloadLinkMade: {
      /** Id */
      id: number;
      /** Bundle */
      bundle: number;
      subject_kind: components['schemas']['SubjectKind'];
      /** Subject */
      subject: string;
      download: components['schemas']['DownloadQuery'];
      /**
       * As Copy
       * @default false
       */
      as_copy: boolean;
      /**
       * Note
       * @default
       */
      note: string;
      /**
       * Created
       * Format: date-time
       */
      created: string;
      /** Created By */
      created_by: string;
      /**
       * Expires
       * Format: date-time
       */
      expires: string;
      /** Uses */
      uses: number;
      /**
       * Used
       * @default 0
       */
      used: number;
      /**
       * Last Used
       * @default null
       */
      last_used: string | null;
      /** Url */
      url: string;
      /**
       * Code
       * @default
       */
      code: string;
    };
    /**
     * DownloadLinkStart
     * @description A link to one download, for someone without a sign-in, valid for a number of hours and uses;
     *     ``note`` is shown on its page. With ``as_copy`` another installation fetches the files of
     *     the bundle, for hours only.
     */
    DownloadLinkStart: {
      /**
       * @default {
       *       "form": "tar.gz",
       *       "database": "",
       *       "table": [],
       *       "contents": "",
       *       "path": [],
       *       "store": ""
       *     }
       */
      download: components['schemas']['DownloadQuery'];
      /**
       * As Copy
       * @default false
       */
      as_copy: boolean;
      /**
       * Hours
       * @default 24
       */
      hours: number;
      /**
       * Uses
       * @default 1
       */
      uses: number;
      /**
       * Note
       * @default
       */
      note: string;
    };
    /**
     * DownloadQuery
     * @description A download of a bundle: its part, archive format and store.
     */
    DownloadQuery: {
      /**
       * Form
       * @description sql: one database, or some of its tables, as one file
       * @default tar.gz
       * @enum {string}
       */
      form: 'tar.gz' | 'tar.zst' | 'zip' | 'sql';
      /**
       * Database
       * @description with sql: this database
       * @default
       */
      database: string;
      /**
       * Table
       * @description with sql: only this table; may be repeated
       * @default []
       */
      table: string[];
      /**
       * Contents
       * @description only this kind of contents
       * @default
       * @enum {string}
       */
      contents: '' | 'files' | 'databases' | 'mail' | 'system' | 'notes';
      /**
       * Path
       * @description only at or below this path; may be repeated
       * @default []
       */
      path: string[];
      /**
       * Store
       * @description the copy to read
       * @default
       */
      store: string;
    };
    /**
     * DownloadReport
     * @description The omissions of a download: the number of missing or altered entries, and the
     *     first of them. ``sha256`` is the digest of the whole file, once all of it was sent.
     */
    DownloadReport: {
      /**
       * Sha256
       * @default
       */
      sha256: string;
      /**
       * Omissions
       * @default 0
       */
      omissions: number;
      /**
       * Named
       * @default []
       */
      named: string[];
    };
    /**
     * DrillFigures
     * @description The counts of a drill: files compared by digest and their bytes, and databases that were
     *     loaded into scratch ones, with their tables and rows.
     */
    DrillFigures: {
      /**
       * Files
       * @default 0
       */
      files: number;
      /**
       * Bytes
       * @default 0
       */
      bytes: number;
      /**
       * Databases
       * @default 0
       */
      databases: number;
      /**
       * Tables
       * @default 0
       */
      tables: number;
      /**
       * Rows
       * @default 0
       */
      rows: number;
      /**
       * Page
       * @default 0
       */
      page: number;
    };
    /**
     * DrillPage
     * @description A copy that a drill makes next to a site, to request its page: the address of the copy, and
     *     where the web server is, by default port 80 of the host. ``{account}`` stands for the account.
     */
    DrillPage: {
      /**
       * Address
       * @default
       */
      address: string;
      /**
       * Web Address
       * @default
       */
      web_address: string;
    };
    /**
     * DrillSettings
     * @description The timetable of drills, and the accounts and sites that take part: all, or those named. Each
     *     drill is of the one with the oldest last drill.
     */
    DrillSettings: {
      /**
       * Timetable
       * @default by hand
       */
      timetable: string;
      /**
       * Zone
       * @default UTC
       */
      zone: string;
      /**
       * Subjects
       * @description empty for all
       * @default []
       */
      subjects: string[];
      /**
       * @description of accounts with one site on hosts here or over SSH
       * @default null
       */
      page: components['schemas']['DrillPage'] | null;
    };
    /**
     * DrillStart
     * @description A drill of an account or site: of its newest bundle with the most kinds of contents, or of
     *     ``bundle``; ``store`` is the copy to read, the first one when left out. Without a subject, the
     *     one with the oldest last drill. With ``page``, a copy of ``site`` answers a request too.
     */
    DrillStart: {
      /**
       * Subject
       * @default
       */
      subject: string;
      /**
       * Bundle
       * @default null
       */
      bundle: number | null;
      /**
       * Store
       * @default
       */
      store: string;
      /** @default null */
      page: components['schemas']['DrillPage'] | null;
      /**
       * Site
       * @default
       */
      site: string;
    };
    /**
     * EntrySearch
     * @description Entries whose path holds the words that were looked for.
     */
    EntrySearch: {
      /** Items */
      items: components['schemas']['BundleEntry'][];
      /** More */
      more: boolean;
    };
    /**
     * ExcludedSize
     * @description The effect of an exclude rule.
     */
    ExcludedSize: {
      /** Entries */
      entries: number;
      /** Bytes */
      bytes: number;
      /** Rule */
      rule: string;
    };
    /**
     * FieldProblem
     * @description The error of one field; the parts of its path are separated by dots.
     */
    FieldProblem: {
      /** Field */
      field: string;
      /** Message */
      message: string;
    };
    /**
     * FileDifference
     * @description A file in two bundles: whether each has it, and the lines that differ, in unified format;
     *     ``note`` says why there are no lines.
     */
    FileDifference: {
      /** Path */
      path: string;
      /** Before */
      before: boolean;
      /** After */
      after: boolean;
      /**
       * Lines
       * @default []
       */
      lines: string[];
      /**
       * Note
       * @default
       */
      note: string;
    };
    /**
     * FileVersion
     * @description One state of a file: its size, its BLAKE3 digest or link target, when it was changed, in
     *     seconds since 1970, and the first and last bundle that have it.
     */
    FileVersion: {
      /** Type */
      type: string;
      /** Bytes */
      bytes: number;
      /** Digest */
      digest: string;
      /** Changed */
      changed: number;
      /** First */
      first: number;
      /**
       * First Moment
       * Format: date-time
       */
      first_moment: string;
      /** Last */
      last: number;
      /**
       * Last Moment
       * Format: date-time
       */
      last_moment: string;
    };
    /**
     * FleetWorker
     * @description A worker on another machine: its queue, machine and version, and how many tasks it takes at
     *     the same time.
     *
     *     ``state``: there; draining: it gets no more orders; away: it was not heard from; other version:
     *     it gets no orders, since it is not of the service's version.
     */
    FleetWorker: {
      /** Name */
      name: string;
      /** Queue */
      queue: string;
      /** Place */
      place: string;
      /** Version */
      version: string;
      /** Slots */
      slots: number;
      /**
       * State
       * @enum {string}
       */
      state: 'there' | 'draining' | 'away' | 'other version';
      /**
       * Tasks
       * @default []
       */
      tasks: components['schemas']['WorkerTask'][];
      /**
       * Enrolled
       * Format: date-time
       */
      enrolled: string;
      /**
       * Last Seen
       * @default null
       */
      last_seen: string | null;
    };
    /**
     * Folder
     * @description A folder with all below it.
     */
    Folder: {
      /** Entries */
      entries: number;
      /** Bytes */
      bytes: number;
      /** Path */
      path: string;
    };
    /**
     * Growth
     * @description The growth of a subject: ``per_week`` is the trend of its size, None until the bundles of a
     *     job span a day.
     */
    Growth: {
      subject_kind: components['schemas']['SubjectKind'];
      /** Subject */
      subject: string;
      /** Points */
      points: components['schemas']['GrowthPoint'][];
      /** Stores */
      stores: components['schemas']['GrowthStore'][];
      /** Per Week */
      per_week: number | null;
    };
    /**
     * GrowthPoint
     * @description A bundle in the growth of its subject: bytes it shows, contents it brought, and those
     *     packed.
     */
    GrowthPoint: {
      /** Bundle */
      bundle: number;
      /** Name */
      name: string;
      /** Job */
      job: string;
      /**
       * Moment
       * Format: date-time
       */
      moment: string;
      /** Entries */
      entries: number;
      /** Bytes */
      bytes: number;
      /** New Bytes */
      new_bytes: number;
      /** Packed */
      packed: number;
    };
    /**
     * GrowthStore
     * @description The space of a subject on one store. ``unused`` are bytes in its pieces that no bundle seems
     *     to need; repacking measures them exactly.
     */
    GrowthStore: {
      /** Store */
      store: string;
      /** Copies */
      copies: number;
      /** Stored */
      stored: number;
      /** Holds */
      holds: number;
      /** Unused */
      unused: number;
    };
    /**
     * Host
     * @description A host, with its place in words and its number of accounts.
     */
    Host: {
      /** Name */
      name: string;
      /**
       * @default {
       *       "kind": "local"
       *     }
       */
      connection:
        | components['schemas']['ConnectionLocalSettings']
        | components['schemas']['ConnectionSshSettings']
        | components['schemas']['ConnectionFtpSettings']
        | components['schemas']['ConnectionUnconnectedSettings'];
      /**
       * Max Concurrent
       * @default 0
       */
      max_concurrent: number;
      /**
       * Queue
       * @default
       */
      queue: string;
      /**
       * Servers
       * @default []
       */
      servers: (
        | components['schemas']['ServersMariadbSettings']
        | components['schemas']['ServersPostgresqlSettings']
      )[];
      /**
       * @default {
       *       "alias_map": "",
       *       "mailbox_map": "",
       *       "transport_map": "",
       *       "passwd_file": "",
       *       "home": "",
       *       "dkim": "",
       *       "refresh": []
       *     }
       */
      mail: components['schemas']['MailFiles'];
      /**
       * System
       * @default []
       */
      system: string[];
      /**
       * Account System
       * @default []
       */
      account_system: string[];
      /**
       * System Refresh
       * @default []
       */
      system_refresh: string[];
      /**
       * Hold Flag
       * @default
       */
      hold_flag: string;
      /**
       * @default {
       *       "homes": [],
       *       "sites": [],
       *       "nginx": [],
       *       "apache": [],
       *       "database_prefix": "",
       *       "by_grants": false,
       *       "sqlite": false,
       *       "mail": false,
       *       "leave_out": [],
       *       "automatic": false,
       *       "forget_after": 0
       *     }
       */
      discovery: components['schemas']['DiscoveryRules'];
      /** Where */
      where: string;
      /**
       * Accounts
       * @default 0
       */
      accounts: number;
      /**
       * Secrets Set
       * @default []
       */
      secrets_set: string[];
    };
    /**
     * HostFields
     * @description The common fields of input and output: a server that hosts accounts.
     *
     *     ``connection`` says how it is reached; ``servers`` are its database servers, one per engine.
     *     ``max_concurrent`` limits the tasks that run on it at the same time; 0 is the default for its
     *     kind.
     *     ``system`` are patterns of the host's own settings, ``account_system`` of an account's, with
     *     ``{account}``; ``hold_flag`` is the flag file of a site's hold page, with ``{site}`` or
     *     ``{account}``.
     */
    HostFields: {
      /** Name */
      name: string;
      /**
       * @default {
       *       "kind": "local"
       *     }
       */
      connection: components['schemas']['KindSettings'];
      /**
       * Max Concurrent
       * @default 0
       */
      max_concurrent: number;
      /**
       * Queue
       * @default
       */
      queue: string;
      /**
       * Servers
       * @default []
       */
      servers: components['schemas']['KindSettings'][];
      /**
       * @default {
       *       "alias_map": "",
       *       "mailbox_map": "",
       *       "transport_map": "",
       *       "passwd_file": "",
       *       "home": "",
       *       "dkim": "",
       *       "refresh": []
       *     }
       */
      mail: components['schemas']['MailFiles'];
      /**
       * System
       * @default []
       */
      system: string[];
      /**
       * Account System
       * @default []
       */
      account_system: string[];
      /**
       * System Refresh
       * @default []
       */
      system_refresh: string[];
      /**
       * Hold Flag
       * @default
       */
      hold_flag: string;
      /**
       * @default {
       *       "homes": [],
       *       "sites": [],
       *       "nginx": [],
       *       "apache": [],
       *       "database_prefix": "",
       *       "by_grants": false,
       *       "sqlite": false,
       *       "mail": false,
       *       "leave_out": [],
       *       "automatic": false,
       *       "forget_after": 0
       *     }
       */
      discovery: components['schemas']['DiscoveryRules'];
    };
    /**
     * HostInput
     * @description A host to be saved. ``secrets`` are those of its connection, and those of its database
     *     servers as ``mariadb_password``; omitted secrets keep their value, an empty text removes one.
     */
    HostInput: {
      /** Name */
      name: string;
      /**
       * @default {
       *       "kind": "local"
       *     }
       */
      connection:
        | components['schemas']['ConnectionLocalSettings']
        | components['schemas']['ConnectionSshSettings']
        | components['schemas']['ConnectionFtpSettings']
        | components['schemas']['ConnectionUnconnectedSettings'];
      /**
       * Max Concurrent
       * @default 0
       */
      max_concurrent: number;
      /**
       * Queue
       * @default
       */
      queue: string;
      /**
       * Servers
       * @default []
       */
      servers: (
        | components['schemas']['ServersMariadbSettings']
        | components['schemas']['ServersPostgresqlSettings']
      )[];
      /**
       * @default {
       *       "alias_map": "",
       *       "mailbox_map": "",
       *       "transport_map": "",
       *       "passwd_file": "",
       *       "home": "",
       *       "dkim": "",
       *       "refresh": []
       *     }
       */
      mail: components['schemas']['MailFiles'];
      /**
       * System
       * @default []
       */
      system: string[];
      /**
       * Account System
       * @default []
       */
      account_system: string[];
      /**
       * System Refresh
       * @default []
       */
      system_refresh: string[];
      /**
       * Hold Flag
       * @default
       */
      hold_flag: string;
      /**
       * @default {
       *       "homes": [],
       *       "sites": [],
       *       "nginx": [],
       *       "apache": [],
       *       "database_prefix": "",
       *       "by_grants": false,
       *       "sqlite": false,
       *       "mail": false,
       *       "leave_out": [],
       *       "automatic": false,
       *       "forget_after": 0
       *     }
       */
      discovery: components['schemas']['DiscoveryRules'];
      /**
       * Secrets
       * @default {}
       */
      secrets: {
        [key: string]: string | null;
      };
    };
    /**
     * HostProposal
     * @description A host with proposed rules, each of them, and what they find together, in words.
     */
    HostProposal: {
      host: components['schemas']['HostFields'];
      /**
       * Rules
       * @default []
       */
      rules: components['schemas']['RuleProposal'][];
      /**
       * Finds
       * @default
       */
      finds: string;
    };
    /**
     * Identity
     * @description The signed-in user. ``csrf`` is required as X-CSRF-Token header of every change.
     */
    Identity: {
      /** Name */
      name: string;
      /**
       * Csrf
       * @default
       */
      csrf: string;
      /**
       * Must Change
       * @default false
       */
      must_change: boolean;
    };
    /**
     * InPlace
     * @description The options of a restore in place.
     *
     *     ``conflicts`` selects the treatment of files that differ from the bundle's; with
     *     ``remove_extra`` files that are not in the bundle are set aside too. ``compare_contents`` reads
     *     every file, instead of comparing sizes and times.
     */
    InPlace: {
      /** @default replace */
      conflicts: components['schemas']['Conflicts'];
      /**
       * Remove Extra
       * @default false
       */
      remove_extra: boolean;
      /**
       * Compare Contents
       * @default false
       */
      compare_contents: boolean;
    };
    /**
     * InstructionStep
     * @description A step of bringing a bundle back: what it is for, its commands, and a note.
     */
    InstructionStep: {
      /** Title */
      title: string;
      /**
       * Commands
       * @default []
       */
      commands: string[];
      /**
       * Note
       * @default
       */
      note: string;
    };
    /**
     * Instructions
     * @description How to bring a bundle back: with Fasciculus, one command for each purpose; and by hand, step
     *     by step.
     */
    Instructions: {
      /** With Fasciculus */
      with_fasciculus: components['schemas']['InstructionStep'][];
      /** By Hand */
      by_hand: components['schemas']['InstructionStep'][];
    };
    /**
     * Job
     * @description A job in a list, with its state.
     */
    Job: {
      /** Name */
      name: string;
      /**
       * Subjects
       * @default accounts
       * @enum {string}
       */
      subjects: 'accounts' | 'sites' | 'hosts';
      /**
       * Choice
       * @default all
       * @enum {string}
       */
      choice: 'all' | 'listed' | 'all_but';
      /**
       * Names
       * @default []
       */
      names: string[];
      /**
       * Contents
       * @default [
       *       "files",
       *       "databases",
       *       "mail",
       *       "system"
       *     ]
       */
      contents: components['schemas']['Contents'][];
      /**
       * Messages
       * @default false
       */
      messages: boolean;
      /**
       * @default {
       *       "includes": [],
       *       "excludes": [],
       *       "sets": [],
       *       "larger_than": 0,
       *       "older_than": 0,
       *       "one_file_system": false,
       *       "skip_tagged_caches": false,
       *       "ignore_file": ""
       *     }
       */
      rules: components['schemas']['Rules'];
      /**
       * @default {
       *       "names": [],
       *       "without": [],
       *       "tables": [],
       *       "without_tables": [],
       *       "without_rows": [],
       *       "structure_only": false,
       *       "check_tables": false
       *     }
       */
      databases: components['schemas']['Databases'];
      /**
       * Notes
       * @default []
       */
      notes: components['schemas']['Note'][];
      /**
       * Commands
       * @default []
       */
      commands: components['schemas']['Command'][];
      /**
       * Hold Page
       * @default false
       */
      hold_page: boolean;
      /**
       * Max Copy Age
       * @default 0
       */
      max_copy_age: number;
      /**
       * Mode
       * @default full
       * @enum {string}
       */
      mode: 'full' | 'incremental';
      /**
       * Full Every
       * @default 30
       */
      full_every: number;
      /**
       * Max Unused Percent
       * @default 50
       */
      max_unused_percent: number;
      /**
       * Compare Every
       * @default 0
       */
      compare_every: number;
      /** Stores */
      stores: string[];
      /**
       * Timetable
       * @default daily 02:15
       */
      timetable: string;
      /**
       * Zone
       * @default UTC
       */
      zone: string;
      /**
       * @default {
       *       "first_day": null,
       *       "last_day": null,
       *       "hours": "",
       *       "days_off": [],
       *       "spread": 0,
       *       "overlap": "skip",
       *       "missed": "once",
       *       "priority": "normal"
       *     }
       */
      starting: components['schemas']['StartRules'];
      /**
       * @default {
       *       "retries": 2,
       *       "pause": 10,
       *       "task": 0,
       *       "step": 0,
       *       "run": 0
       *     }
       */
      limits: components['schemas']['TaskLimits'];
      /**
       * Keep
       * @default 7 newest
       */
      keep: string;
      /**
       * Keep On
       * @default {}
       */
      keep_on: {
        [key: string]: string;
      };
      /**
       * Keep Gone
       * @default
       */
      keep_gone: string;
      /**
       * Report To
       * @default []
       */
      report_to: string[];
      /**
       * Report When
       * @default always
       * @enum {string}
       */
      report_when: 'always' | 'trouble' | 'recovery' | 'daily' | 'weekly' | 'monthly';
      /**
       * Report Contacts
       * @default never
       * @enum {string}
       */
      report_contacts: 'never' | 'trouble' | 'recovery' | 'always';
      /**
       * Attach Log
       * @default trouble
       * @enum {string}
       */
      attach_log: 'never' | 'trouble' | 'always';
      /**
       * Channels
       * @default []
       */
      channels: string[];
      /**
       * @default {
       *       "smaller": 50,
       *       "larger": 300,
       *       "changes": 1000
       *     }
       */
      watch: components['schemas']['Thresholds'];
      /**
       * Compression
       * @default zstd
       * @enum {string}
       */
      compression: 'zstd' | 'gzip' | 'none';
      /**
       * Level
       * @default null
       */
      level: number | null;
      /**
       * Piece Size
       * @default 268435456
       */
      piece_size: number;
      /**
       * Enabled
       * @default true
       */
      enabled: boolean;
      /**
       * Attach Up To
       * @default 0
       */
      attach_up_to: number;
      /**
       * Recipients
       * @default []
       */
      recipients: string[];
      /**
       * Summary
       * @default
       */
      summary: string;
      /**
       * Next Start
       * @default null
       */
      next_start: string | null;
      /**
       * Paused
       * @default
       */
      paused: string;
      /**
       * Paused Until
       * @default null
       */
      paused_until: string | null;
      /**
       * Covers
       * @default 0
       */
      covers: number;
      /**
       * Last Run
       * @default null
       */
      last_run: number | null;
      /**
       * Last Outcome
       * @default null
       */
      last_outcome: string | null;
      /**
       * Last Ended
       * @default null
       */
      last_ended: string | null;
      /**
       * Running
       * @default false
       */
      running: boolean;
    };
    /**
     * JobCopy
     * @description A new job out of another one's settings, with another name and, where they are given, other
     *     stores, another timetable, another keep rule. It is disabled unless ``enabled`` is set.
     */
    JobCopy: {
      /** Name */
      name: string;
      /**
       * Stores
       * @default null
       */
      stores: string[] | null;
      /**
       * Timetable
       * @default null
       */
      timetable: string | null;
      /**
       * Keep
       * @default null
       */
      keep: string | null;
      /**
       * Enabled
       * @default false
       */
      enabled: boolean;
    };
    /**
     * JobDefaults
     * @description The defaults of a new job.
     */
    JobDefaults: {
      /** Name */
      name: string;
      /**
       * Subjects
       * @default accounts
       * @enum {string}
       */
      subjects: 'accounts' | 'sites' | 'hosts';
      /**
       * Choice
       * @default all
       * @enum {string}
       */
      choice: 'all' | 'listed' | 'all_but';
      /**
       * Names
       * @default []
       */
      names: string[];
      /**
       * Contents
       * @default [
       *       "files",
       *       "databases",
       *       "mail",
       *       "system"
       *     ]
       */
      contents: components['schemas']['Contents'][];
      /**
       * Messages
       * @default false
       */
      messages: boolean;
      /**
       * @default {
       *       "includes": [],
       *       "excludes": [],
       *       "sets": [],
       *       "larger_than": 0,
       *       "older_than": 0,
       *       "one_file_system": false,
       *       "skip_tagged_caches": false,
       *       "ignore_file": ""
       *     }
       */
      rules: components['schemas']['Rules'];
      /**
       * @default {
       *       "names": [],
       *       "without": [],
       *       "tables": [],
       *       "without_tables": [],
       *       "without_rows": [],
       *       "structure_only": false,
       *       "check_tables": false
       *     }
       */
      databases: components['schemas']['Databases'];
      /**
       * Notes
       * @default []
       */
      notes: components['schemas']['Note'][];
      /**
       * Commands
       * @default []
       */
      commands: components['schemas']['Command'][];
      /**
       * Hold Page
       * @default false
       */
      hold_page: boolean;
      /**
       * Max Copy Age
       * @default 0
       */
      max_copy_age: number;
      /**
       * Mode
       * @default full
       * @enum {string}
       */
      mode: 'full' | 'incremental';
      /**
       * Full Every
       * @default 30
       */
      full_every: number;
      /**
       * Max Unused Percent
       * @default 50
       */
      max_unused_percent: number;
      /**
       * Compare Every
       * @default 0
       */
      compare_every: number;
      /** Stores */
      stores: string[];
      /**
       * Timetable
       * @default daily 02:15
       */
      timetable: string;
      /**
       * Zone
       * @default UTC
       */
      zone: string;
      /**
       * @default {
       *       "first_day": null,
       *       "last_day": null,
       *       "hours": "",
       *       "days_off": [],
       *       "spread": 0,
       *       "overlap": "skip",
       *       "missed": "once",
       *       "priority": "normal"
       *     }
       */
      starting: components['schemas']['StartRules'];
      /**
       * @default {
       *       "retries": 2,
       *       "pause": 10,
       *       "task": 0,
       *       "step": 0,
       *       "run": 0
       *     }
       */
      limits: components['schemas']['TaskLimits'];
      /**
       * Keep
       * @default 7 newest
       */
      keep: string;
      /**
       * Keep On
       * @default {}
       */
      keep_on: {
        [key: string]: string;
      };
      /**
       * Keep Gone
       * @default
       */
      keep_gone: string;
      /**
       * Report To
       * @default []
       */
      report_to: string[];
      /**
       * Report When
       * @default always
       * @enum {string}
       */
      report_when: 'always' | 'trouble' | 'recovery' | 'daily' | 'weekly' | 'monthly';
      /**
       * Report Contacts
       * @default never
       * @enum {string}
       */
      report_contacts: 'never' | 'trouble' | 'recovery' | 'always';
      /**
       * Attach Log
       * @default trouble
       * @enum {string}
       */
      attach_log: 'never' | 'trouble' | 'always';
      /**
       * Channels
       * @default []
       */
      channels: string[];
      /**
       * @default {
       *       "smaller": 50,
       *       "larger": 300,
       *       "changes": 1000
       *     }
       */
      watch: components['schemas']['Thresholds'];
      /**
       * Compression
       * @default zstd
       * @enum {string}
       */
      compression: 'zstd' | 'gzip' | 'none';
      /**
       * Level
       * @default null
       */
      level: number | null;
      /**
       * Piece Size
       * @default 268435456
       */
      piece_size: number;
      /**
       * Enabled
       * @default true
       */
      enabled: boolean;
      /**
       * Attach Up To
       * @default 0
       */
      attach_up_to: number;
      /**
       * Recipients
       * @default []
       */
      recipients: string[];
    };
    /**
     * JobInput
     * @description A job as it is sent and stored: what, where, when, keep, notify.
     *
     *     Each of ``names`` is a name, a pattern of names such as “shop-*”, “host:NAME” for everything on
     *     a host, or “tag:NAME” for every account with that tag. ``piece_size`` is in bytes.
     *     ``max_copy_age`` is in hours: coverage reports a newest copy that is older; 0 derives it from
     *     the timetable. ``keep`` is a keep rule such as “7 newest, 8 weekly”; ``keep_on`` overrides it
     *     for some of the stores, ``keep_gone`` for deleted accounts.
     */
    JobInput: {
      /** Name */
      name: string;
      /**
       * Subjects
       * @default accounts
       * @enum {string}
       */
      subjects: 'accounts' | 'sites' | 'hosts';
      /**
       * Choice
       * @default all
       * @enum {string}
       */
      choice: 'all' | 'listed' | 'all_but';
      /**
       * Names
       * @default []
       */
      names: string[];
      /**
       * Contents
       * @default [
       *       "files",
       *       "databases",
       *       "mail",
       *       "system"
       *     ]
       */
      contents: components['schemas']['Contents'][];
      /**
       * Messages
       * @default false
       */
      messages: boolean;
      /**
       * @default {
       *       "includes": [],
       *       "excludes": [],
       *       "sets": [],
       *       "larger_than": 0,
       *       "older_than": 0,
       *       "one_file_system": false,
       *       "skip_tagged_caches": false,
       *       "ignore_file": ""
       *     }
       */
      rules: components['schemas']['Rules'];
      /**
       * @default {
       *       "names": [],
       *       "without": [],
       *       "tables": [],
       *       "without_tables": [],
       *       "without_rows": [],
       *       "structure_only": false,
       *       "check_tables": false
       *     }
       */
      databases: components['schemas']['Databases'];
      /**
       * Notes
       * @default []
       */
      notes: components['schemas']['Note'][];
      /**
       * Commands
       * @default []
       */
      commands: components['schemas']['Command'][];
      /**
       * Hold Page
       * @default false
       */
      hold_page: boolean;
      /**
       * Max Copy Age
       * @default 0
       */
      max_copy_age: number;
      /**
       * Mode
       * @default full
       * @enum {string}
       */
      mode: 'full' | 'incremental';
      /**
       * Full Every
       * @default 30
       */
      full_every: number;
      /**
       * Max Unused Percent
       * @default 50
       */
      max_unused_percent: number;
      /**
       * Compare Every
       * @default 0
       */
      compare_every: number;
      /** Stores */
      stores: string[];
      /**
       * Timetable
       * @default daily 02:15
       */
      timetable: string;
      /**
       * Zone
       * @default UTC
       */
      zone: string;
      /**
       * @default {
       *       "first_day": null,
       *       "last_day": null,
       *       "hours": "",
       *       "days_off": [],
       *       "spread": 0,
       *       "overlap": "skip",
       *       "missed": "once",
       *       "priority": "normal"
       *     }
       */
      starting: components['schemas']['StartRules'];
      /**
       * @default {
       *       "retries": 2,
       *       "pause": 10,
       *       "task": 0,
       *       "step": 0,
       *       "run": 0
       *     }
       */
      limits: components['schemas']['TaskLimits'];
      /**
       * Keep
       * @default 7 newest
       */
      keep: string;
      /**
       * Keep On
       * @default {}
       */
      keep_on: {
        [key: string]: string;
      };
      /**
       * Keep Gone
       * @default
       */
      keep_gone: string;
      /**
       * Report To
       * @default []
       */
      report_to: string[];
      /**
       * Report When
       * @default always
       * @enum {string}
       */
      report_when: 'always' | 'trouble' | 'recovery' | 'daily' | 'weekly' | 'monthly';
      /**
       * Report Contacts
       * @default never
       * @enum {string}
       */
      report_contacts: 'never' | 'trouble' | 'recovery' | 'always';
      /**
       * Attach Log
       * @default trouble
       * @enum {string}
       */
      attach_log: 'never' | 'trouble' | 'always';
      /**
       * Channels
       * @default []
       */
      channels: string[];
      /**
       * @default {
       *       "smaller": 50,
       *       "larger": 300,
       *       "changes": 1000
       *     }
       */
      watch: components['schemas']['Thresholds'];
      /**
       * Compression
       * @default zstd
       * @enum {string}
       */
      compression: 'zstd' | 'gzip' | 'none';
      /**
       * Level
       * @default null
       */
      level: number | null;
      /**
       * Piece Size
       * @default 268435456
       */
      piece_size: number;
      /**
       * Enabled
       * @default true
       */
      enabled: boolean;
      /**
       * Attach Up To
       * @default 0
       */
      attach_up_to: number;
      /**
       * Recipients
       * @default []
       */
      recipients: string[];
    };
    /**
     * JobSimulation
     * @description The coming year of a job on one store, if every run succeeds and sizes do not change.
     */
    JobSimulation: {
      /** Store */
      store: string;
      /** Subject */
      subject: string;
      /** Subjects */
      subjects: number;
      /** Rule */
      rule: string;
      /** Free */
      free: number | null;
      /** Days */
      days: components['schemas']['SimulationDay'][];
    };
    /**
     * JobStart
     * @description Options of one run: full bundles, a comparison of contents, only some of the subjects, or a
     *     label such as “before the update”, whose bundles are pinned for ``keep_days`` days.
     *
     *     ``failed_of`` is the number of an earlier run: only its failed subjects are started.
     */
    JobStart: {
      /**
       * Full
       * @default false
       */
      full: boolean;
      /**
       * Compare
       * @default false
       */
      compare: boolean;
      /**
       * Names
       * @default []
       */
      names: string[];
      /**
       * Failed Of
       * @default 0
       */
      failed_of: number;
      /**
       * Label
       * @default
       */
      label: string;
      /**
       * Keep Days
       * @default 0
       */
      keep_days: number;
    };
    /**
     * JobSummary
     * @description The summary of a job, before it is saved.
     */
    JobSummary: {
      /** Sentence */
      sentence: string;
      /** Starts */
      starts: string[];
      /** Covers */
      covers: string[];
      /** Bytes */
      bytes: number;
      /** Packed */
      packed: number;
      /** Unmeasured */
      unmeasured: number;
      /** Advice */
      advice: string[];
      /**
       * Space
       * @default []
       */
      space: components['schemas']['SpaceNeed'][];
    };
    /**
     * KeyKeep
     * @description A private key for the service to keep, ``AGE-SECRET-KEY-1…``, or a file of several.
     */
    KeyKeep: {
      /** Identity */
      identity: string;
      /**
       * Note
       * @default
       */
      note: string;
    };
    /**
     * KeyMade
     * @description A new pair of keys. The private one is shown this once; ``sheet`` is a page to print, with
     *     all that is needed to open bundles by hand.
     */
    KeyMade: {
      /** Recipient */
      recipient: string;
      /** Identity */
      identity: string;
      /** Kept */
      kept: boolean;
      /** Sheet */
      sheet: string;
    };
    /**
     * KeyMake
     * @description Make a pair of keys; with ``keep``, the service keeps the private one to read with.
     */
    KeyMake: {
      /**
       * Note
       * @default
       */
      note: string;
      /**
       * Keep
       * @default false
       */
      keep: boolean;
    };
    /**
     * KindField
     * @description A setting or a secret as a form or an option takes it. ``type`` is text, number, switch or
     *     choice; of the last, ``choices`` are the values.
     */
    KindField: {
      /** Name */
      name: string;
      /** Title */
      title: string;
      /**
       * Hint
       * @default
       */
      hint: string;
      /**
       * Example
       * @default
       */
      example: string;
      /**
       * Type
       * @default text
       */
      type: string;
      /**
       * Choices
       * @default []
       */
      choices: string[];
      /**
       * Default
       * @default null
       */
      default: string | number | boolean | null;
      /**
       * Least
       * @default null
       */
      least: number | null;
      /**
       * Most
       * @default null
       */
      most: number | null;
      /**
       * Required
       * @default false
       */
      required: boolean;
      /**
       * Multiline
       * @default false
       */
      multiline: boolean;
    };
    /**
     * KindInfo
     * @description One kind. ``json_schema`` is the JSON Schema of its settings; ``asks_for_access`` says that
     *     its owner gives access in a browser, once it is saved.
     */
    KindInfo: {
      /** Name */
      name: string;
      /** Title */
      title: string;
      /** Fields */
      fields: components['schemas']['KindField'][];
      /** Secrets */
      secrets: components['schemas']['KindField'][];
      /** Json Schema */
      json_schema: {
        [key: string]: unknown;
      };
      /**
       * Asks For Access
       * @default false
       */
      asks_for_access: boolean;
    };
    /**
     * KindSettings
     * @description Settings of one kind. The fields depend on ``kind``; ``GET /kinds`` describes them. A client
     *     need not know the kinds that a service has.
     */
    KindSettings: {
      /** Kind */
      kind: string;
    } & {
      [key: string]: unknown;
    };
    /**
     * Kinds
     * @description All kinds that this service knows. ``databases`` are the engines that run as a server.
     */
    Kinds: {
      /** Stores */
      stores: components['schemas']['KindInfo'][];
      /** Hosts */
      hosts: components['schemas']['KindInfo'][];
      /** Databases */
      databases: components['schemas']['KindInfo'][];
      /**
       * Channels
       * @default []
       */
      channels: components['schemas']['KindInfo'][];
      /** Engines */
      engines: string[];
      /**
       * Engine Titles
       * @default {}
       */
      engine_titles: {
        [key: string]: string;
      };
      /**
       * Refused
       * @default {}
       */
      refused: {
        [key: string]: string;
      };
    };
    /**
     * LogLine
     * @description One line of a log.
     */
    LogLine: {
      /** Id */
      id: number;
      /**
       * At
       * Format: date-time
       */
      at: string;
      /** Level */
      level: string;
      /**
       * Subject
       * @default
       */
      subject: string;
      /** Text */
      text: string;
    };
    /**
     * MailFiles
     * @description The mail settings of a host. ``home`` and ``dkim`` contain ``{domain}``, ``home`` also
     *     ``{user}``; ``refresh`` lists commands to run after a restore, such as ``postmap FILE``.
     */
    MailFiles: {
      /**
       * Alias Map
       * @default
       */
      alias_map: string;
      /**
       * Mailbox Map
       * @default
       */
      mailbox_map: string;
      /**
       * Transport Map
       * @default
       */
      transport_map: string;
      /**
       * Passwd File
       * @default
       */
      passwd_file: string;
      /**
       * Home
       * @default
       */
      home: string;
      /**
       * Dkim
       * @default
       */
      dkim: string;
      /**
       * Refresh
       * @default []
       */
      refresh: string[];
    };
    /**
     * MailServer
     * @description The mail server that sends reports. No answer contains its password.
     *
     *     ``fallback_channel`` gets a report that the mail server has not accepted for an hour; mail is
     *     retried for ``days`` days. Digests are sent at ``digest_time`` (such as “07:00”) in the time
     *     zone of their jobs, weekly ones on ``digest_day``.
     */
    MailServer: {
      /**
       * Address
       * @default
       */
      address: string;
      /**
       * Port
       * @default 587
       */
      port: number;
      /**
       * Security
       * @default starttls
       * @enum {string}
       */
      security: 'starttls' | 'tls' | 'none';
      /**
       * User
       * @default
       */
      user: string;
      /**
       * Password
       * @default null
       */
      password: string | null;
      /**
       * Password Set
       * @default false
       */
      password_set: boolean;
      /**
       * Sender
       * @default
       */
      sender: string;
      /**
       * Fallback Channel
       * @default
       */
      fallback_channel: string;
      /**
       * Days
       * @default 5
       */
      days: number;
      /**
       * Digest Time
       * @default 07:00
       */
      digest_time: string;
      /**
       * Digest Day
       * @default mon
       * @enum {string}
       */
      digest_day: 'mon' | 'tue' | 'wed' | 'thu' | 'fri' | 'sat' | 'sun';
    };
    /**
     * MaintenanceKind
     * @description A kind of work on the bundles of a store.
     * @enum {string}
     */
    MaintenanceKind: 'verify' | 'repair' | 'repack' | 'transfer' | 'import' | 'retire' | 'reseal';
    /**
     * MaintenanceStarted
     * @description The answer to starting maintenance: one piece of work a subject.
     */
    MaintenanceStarted: {
      /** Ids */
      ids: number[];
    };
    /**
     * MaintenanceTask
     * @description Work on the copies of one subject on one store. ``state`` is queued, running or ended;
     *     ``bytes`` of ``total`` are read while it runs. ``result`` has the numbers of repacking.
     */
    MaintenanceTask: {
      /** Id */
      id: number;
      kind: components['schemas']['MaintenanceKind'];
      /** Store */
      store: string;
      subject_kind: components['schemas']['SubjectKind'];
      /** Subject */
      subject: string;
      /**
       * Bundle
       * @default
       */
      bundle: string;
      /**
       * Deep
       * @default false
       */
      deep: boolean;
      /**
       * Dry Run
       * @default false
       */
      dry_run: boolean;
      /**
       * Source
       * @default
       */
      source: string;
      /**
       * Move
       * @default false
       */
      move: boolean;
      /** State */
      state: string;
      /**
       * Outcome
       * @default null
       */
      outcome: string | null;
      /**
       * Sentence
       * @default
       */
      sentence: string;
      /**
       * Entries
       * @default 0
       */
      entries: number;
      /**
       * Bytes
       * @default 0
       */
      bytes: number;
      /**
       * Total
       * @default 0
       */
      total: number;
      /**
       * Stage
       * @default
       */
      stage: string;
      /**
       * Result
       * @default {}
       */
      result: {
        [key: string]: number;
      };
      /** Started By */
      started_by: string;
      /**
       * Created
       * Format: date-time
       */
      created: string;
      /**
       * Started
       * @default null
       */
      started: string | null;
      /**
       * Ended
       * @default null
       */
      ended: string | null;
    };
    /**
     * Night
     * @description A day (UTC) and the outcome of its tasks.
     */
    Night: {
      /** Day */
      day: string;
      /** Outcome */
      outcome: string;
    };
    /**
     * Note
     * @description A command whose output is kept in the bundle. ``{account}`` and ``{home}`` stand for the
     *     subject's.
     */
    Note: {
      /** Name */
      name: string;
      /** Command */
      command: string;
      /**
       * Seconds
       * @default 60
       */
      seconds: number;
    };
    /**
     * OutboxItem
     * @description A report that waits to be sent.
     */
    OutboxItem: {
      /** Id */
      id: number;
      /** Report */
      report: number;
      /** Title */
      title: string;
      /** Recipients */
      recipients: string[];
      /**
       * Channel
       * @default
       */
      channel: string;
      /** Attempts */
      attempts: number;
      /**
       * Next Try
       * Format: date-time
       */
      next_try: string;
      /** Last Error */
      last_error: string;
    };
    /**
     * Overview
     * @description ``attention`` first; then the next 24 hours, the last fourteen nights, the stores.
     */
    Overview: {
      /**
       * Now
       * Format: date-time
       */
      now: string;
      /** Attention */
      attention: components['schemas']['Attention'][];
      /** Running */
      running: components['schemas']['Run'][];
      /** Upcoming */
      upcoming: components['schemas']['Upcoming'][];
      /** Recent */
      recent: components['schemas']['Run'][];
      /** Nights */
      nights: components['schemas']['SubjectNights'][];
      /** Stores */
      stores: components['schemas']['StoreFill'][];
      /**
       * Hosts
       * @default 0
       */
      hosts: number;
      /** Accounts */
      accounts: number;
      /** Sites */
      sites: number;
      /** Jobs */
      jobs: number;
      /** Bundles */
      bundles: number;
      /** Scheduler Alive */
      scheduler_alive: boolean;
    };
    /** Page[Account] */
    Page_Account_: {
      /** Items */
      items: components['schemas']['Account'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[Alert] */
    Page_Alert_: {
      /** Items */
      items: components['schemas']['Alert'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[BundleChange] */
    Page_BundleChange_: {
      /** Items */
      items: components['schemas']['BundleChange'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[Bundle] */
    Page_Bundle_: {
      /** Items */
      items: components['schemas']['Bundle'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[Channel] */
    Page_Channel_: {
      /** Items */
      items: components['schemas']['Channel'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[CoverageRow] */
    Page_CoverageRow_: {
      /** Items */
      items: components['schemas']['CoverageRow'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[DamageRow] */
    Page_DamageRow_: {
      /** Items */
      items: components['schemas']['DamageRow'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[DatabaseTables] */
    Page_DatabaseTables_: {
      /** Items */
      items: components['schemas']['DatabaseTables'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[DownloadLink] */
    Page_DownloadLink_: {
      /** Items */
      items: components['schemas']['DownloadLink'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[FleetWorker] */
    Page_FleetWorker_: {
      /** Items */
      items: components['schemas']['FleetWorker'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[Host] */
    Page_Host_: {
      /** Items */
      items: components['schemas']['Host'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[Job] */
    Page_Job_: {
      /** Items */
      items: components['schemas']['Job'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[LogLine] */
    Page_LogLine_: {
      /** Items */
      items: components['schemas']['LogLine'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[MaintenanceTask] */
    Page_MaintenanceTask_: {
      /** Items */
      items: components['schemas']['MaintenanceTask'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[OutboxItem] */
    Page_OutboxItem_: {
      /** Items */
      items: components['schemas']['OutboxItem'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[Pause] */
    Page_Pause_: {
      /** Items */
      items: components['schemas']['Pause'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[Proposed] */
    Page_Proposed_: {
      /** Items */
      items: components['schemas']['Proposed'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[Recovery] */
    Page_Recovery_: {
      /** Items */
      items: components['schemas']['Recovery'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[Report] */
    Page_Report_: {
      /** Items */
      items: components['schemas']['Report'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[RestorePlanLine] */
    Page_RestorePlanLine_: {
      /** Items */
      items: components['schemas']['RestorePlanLine'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[Restore] */
    Page_Restore_: {
      /** Items */
      items: components['schemas']['Restore'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[Retiring] */
    Page_Retiring_: {
      /** Items */
      items: components['schemas']['Retiring'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[Run] */
    Page_Run_: {
      /** Items */
      items: components['schemas']['Run'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[SealKey] */
    Page_SealKey_: {
      /** Items */
      items: components['schemas']['SealKey'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[SearchHit] */
    Page_SearchHit_: {
      /** Items */
      items: components['schemas']['SearchHit'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[SettingChange] */
    Page_SettingChange_: {
      /** Items */
      items: components['schemas']['SettingChange'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[SiteRow] */
    Page_SiteRow_: {
      /** Items */
      items: components['schemas']['SiteRow'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[StoreProposal] */
    Page_StoreProposal_: {
      /** Items */
      items: components['schemas']['StoreProposal'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[Store] */
    Page_Store_: {
      /** Items */
      items: components['schemas']['Store'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[TableChange] */
    Page_TableChange_: {
      /** Items */
      items: components['schemas']['TableChange'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[Template] */
    Page_Template_: {
      /** Items */
      items: components['schemas']['Template'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[Token] */
    Page_Token_: {
      /** Items */
      items: components['schemas']['Token'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /** Page[Transfer] */
    Page_Transfer_: {
      /** Items */
      items: components['schemas']['Transfer'][];
      /** Total */
      total: number;
      /**
       * Next
       * @default null
       */
      next: string | null;
    };
    /**
     * Password
     * @description A change of one's own password.
     */
    Password: {
      /** Old */
      old: string;
      /** New */
      new: string;
      /**
       * End Tokens
       * @description remove all of your tokens as well
       * @default false
       */
      end_tokens: boolean;
    };
    /**
     * Pause
     * @description A job that starts nothing by itself, or all of them where ``job`` is empty; ``until`` is None
     *     for a pause that lasts until it is lifted.
     */
    Pause: {
      /**
       * Job
       * @default
       */
      job: string;
      /**
       * Until
       * @default null
       */
      until: string | null;
      /**
       * Reason
       * @default
       */
      reason: string;
      /**
       * Who
       * @default
       */
      who: string;
      /**
       * Since
       * Format: date-time
       */
      since: string;
    };
    /**
     * PauseInput
     * @description Until when, and why.
     */
    PauseInput: {
      /**
       * Until
       * @default null
       */
      until: string | null;
      /**
       * Reason
       * @default
       */
      reason: string;
    };
    /**
     * PieceInfo
     * @description An archive file that a bundle needs; ``brought`` says that this bundle wrote it.
     */
    PieceInfo: {
      /** Name */
      name: string;
      /** Bytes */
      bytes: number;
      /** Sha256 */
      sha256: string;
      /**
       * Brought
       * @default true
       */
      brought: boolean;
      /**
       * Holds
       * @default 0
       */
      holds: number;
      /**
       * Used
       * @default 0
       */
      used: number;
    };
    /**
     * Pin
     * @description Why a bundle is exempt from every keep rule, and until when; without end where that is
     *     None.
     */
    Pin: {
      /**
       * Reason
       * @default
       */
      reason: string;
      /**
       * Until
       * @default null
       */
      until: string | null;
    };
    /**
     * Preview
     * @description The expected contents. ``packed`` is an estimate; ``new`` is since the last bundle.
     */
    Preview: {
      /** Id */
      id: number;
      /**
       * State
       * @enum {string}
       */
      state: 'running' | 'ended';
      /**
       * Outcome
       * @default null
       */
      outcome: string | null;
      /**
       * Error
       * @default
       */
      error: string;
      /**
       * Entries
       * @default 0
       */
      entries: number;
      /**
       * Bytes
       * @default 0
       */
      bytes: number;
      /**
       * Packed
       * @default 0
       */
      packed: number;
      /** @default null */
      new: components['schemas']['SizeCount'] | null;
      /**
       * Saved
       * @default []
       */
      saved: components['schemas']['ExcludedSize'][];
      /**
       * Folders
       * @default []
       */
      folders: components['schemas']['Folder'][];
      /**
       * Warnings
       * @default []
       */
      warnings: string[];
      /**
       * Seconds
       * @default 0
       */
      seconds: number;
    };
    /**
     * PreviewStart
     * @description The job to preview, and one of its subjects.
     */
    PreviewStart: {
      job: components['schemas']['JobInput'];
      /** Subject */
      subject: string;
    };
    /**
     * Problem
     * @description A problem in RFC 9457's form.
     *
     *     ``type`` is one of :class:`ProblemType`; a later version may add some. ``field`` names the
     *     setting at fault, ``hint`` says what to do next, and ``errors`` has an entry for each field if
     *     several are wrong.
     */
    Problem: {
      /**
       * Type
       * @default about:blank
       * @enum {string}
       */
      type:
        | '/problems/invalid-value'
        | '/problems/name-taken'
        | '/problems/folder-not-empty'
        | '/problems/already-ended'
        | '/problems/already-running'
        | '/problems/paused'
        | '/problems/not-found'
        | '/problems/not-signed-in'
        | '/problems/wrong-password'
        | '/problems/not-permitted'
        | '/problems/password-change-required'
        | '/problems/csrf-token-required'
        | '/problems/too-many-requests'
        | '/problems/method-not-allowed'
        | '/problems/range-not-supported'
        | '/problems/busy'
        | '/problems/records-unwritable'
        | '/problems/unreachable'
        | '/problems/store-full'
        | '/problems/damaged'
        | '/problems/failed'
        | '/problems/bad-request'
        | '/problems/internal-error'
        | 'about:blank';
      /** Title */
      title: string;
      /** Status */
      status: number;
      /**
       * Detail
       * @default
       */
      detail: string;
      /**
       * Field
       * @default null
       */
      field: string | null;
      /**
       * Hint
       * @default
       */
      hint: string;
      /**
       * Errors
       * @default []
       */
      errors: components['schemas']['FieldProblem'][];
    };
    /**
     * ProposalChoice
     * @description The proposals to accept or dismiss: by name, or all of them.
     *
     *     ``homes`` gives accounts another home than the one that is proposed.
     */
    ProposalChoice: {
      /**
       * Hosts
       * @default []
       */
      hosts: string[];
      /**
       * Accounts
       * @default []
       */
      accounts: string[];
      /**
       * Stores
       * @default []
       */
      stores: string[];
      /**
       * Jobs
       * @default []
       */
      jobs: string[];
      /**
       * All
       * @default false
       */
      all: boolean;
      /**
       * Homes
       * @default {}
       */
      homes: {
        [key: string]: string;
      };
    };
    /**
     * Proposed
     * @description An account that a host's rules find ``new``, ``changed`` or ``gone``; ``changes`` says
     *     what.
     */
    Proposed: {
      /**
       * Kind
       * @enum {string}
       */
      kind: 'new' | 'changed' | 'gone';
      account: components['schemas']['AccountInput'];
      /** Changes */
      changes: string[];
    };
    /**
     * Recovery
     * @description A recovery, with the subjects of its host in the order in which they come back.
     */
    Recovery: {
      /** Id */
      id: number;
      /** Host */
      host: string;
      /** Started By */
      started_by: string;
      /**
       * Created
       * Format: date-time
       */
      created: string;
      /**
       * Ended
       * @default null
       */
      ended: string | null;
      /**
       * Subjects
       * @default []
       */
      subjects: components['schemas']['RecoverySubject'][];
    };
    /**
     * RecoveryStart
     * @description A recovery of a host; its jobs start nothing on it until the recovery ends.
     */
    RecoveryStart: {
      /** Host */
      host: string;
    };
    /**
     * RecoveryState
     * @description The state of a subject in a recovery.
     * @enum {string}
     */
    RecoveryState: 'waiting' | 'running' | 'back' | 'back, with warnings' | 'failed' | 'no bundle';
    /**
     * RecoverySubject
     * @description A subject of a recovery: the bundle to restore, the last restore of it, and its state.
     *
     *     ``bundle`` is the newest sound one with the most kinds of contents, None if there is no bundle;
     *     ``missing`` are kinds of contents that only other bundles of the subject have.
     */
    RecoverySubject: {
      kind: components['schemas']['SubjectKind'];
      /** Name */
      name: string;
      state: components['schemas']['RecoveryState'];
      /**
       * Bundle
       * @default null
       */
      bundle: number | null;
      /**
       * Moment
       * @default null
       */
      moment: string | null;
      /**
       * Contents
       * @default []
       */
      contents: components['schemas']['Contents'][];
      /**
       * Missing
       * @default []
       */
      missing: components['schemas']['Contents'][];
      /**
       * Restore
       * @default null
       */
      restore: number | null;
      /**
       * Error
       * @default
       */
      error: string;
    };
    /**
     * Relocation
     * @description Another place for a restore: ``account``, and a folder below its home.
     *
     *     The entries in ``from_folder`` of the bundle are restored to ``to_folder``. ``texts`` are
     *     exchanged in databases, links and the configuration files that the patterns ``files`` name;
     *     ``names`` only in these files. ``user_names`` has new names for users of databases; all others
     *     get another prefix and ``user_suffix``. With ``beside`` it is a copy next to the original, for
     *     ``address``, that is removed again with ``restores remove``; nothing may exist there.
     */
    Relocation: {
      /** Account */
      account: string;
      /**
       * From Folder
       * @default
       */
      from_folder: string;
      /**
       * To Folder
       * @default
       */
      to_folder: string;
      /**
       * Beside
       * @default false
       */
      beside: boolean;
      /**
       * Address
       * @default
       */
      address: string;
      /**
       * Site
       * @default
       */
      site: string;
      /**
       * Texts
       * @default {}
       */
      texts: {
        [key: string]: string;
      };
      /**
       * Names
       * @default {}
       */
      names: {
        [key: string]: string;
      };
      /**
       * Files
       * @default []
       */
      files: string[];
      /**
       * User Names
       * @default {}
       */
      user_names: {
        [key: string]: string;
      };
      /**
       * User Prefix
       * @default [
       *       "",
       *       ""
       *     ]
       */
      user_prefix: [string, string];
      /**
       * User Suffix
       * @default
       */
      user_suffix: string;
    };
    /**
     * RelocationAsk
     * @description A question for a proposal: a copy of ``site`` beside it under ``address``, or ``account`` as
     *     the new place of a whole bundle, with ``address`` for ``site`` if that changes too.
     */
    RelocationAsk: {
      /** Bundle */
      bundle: number;
      /**
       * Account
       * @default
       */
      account: string;
      /**
       * Site
       * @default
       */
      site: string;
      /**
       * Address
       * @default
       */
      address: string;
    };
    /**
     * RelocationProposal
     * @description A proposed place, with the new names of databases and owners by the former ones.
     */
    RelocationProposal: {
      relocation: components['schemas']['Relocation'];
      /**
       * Databases
       * @default {}
       */
      databases: {
        [key: string]: string;
      };
      /**
       * Owners
       * @default {}
       */
      owners: {
        [key: string]: string;
      };
    };
    /**
     * RepackStart
     * @description ``over`` is in percent: a piece is rewritten when more of it is unused.
     */
    RepackStart: {
      /**
       * Subject
       * @default
       */
      subject: string;
      /**
       * Over
       * @default 20
       */
      over: number;
      /**
       * Dry Run
       * @default false
       */
      dry_run: boolean;
    };
    /**
     * RepairStart
     * @description The subject to repair; default: all that are damaged.
     */
    RepairStart: {
      /**
       * Subject
       * @default
       */
      subject: string;
    };
    /**
     * Report
     * @description A message; ``channel`` is where it goes when that is not mail. ``state`` is waiting, sent or
     *     undeliverable, ``kind`` run, maintenance, alert or digest.
     */
    Report: {
      /** Id */
      id: number;
      /** Run */
      run: number | null;
      /** Job */
      job: string;
      /**
       * At
       * Format: date-time
       */
      at: string;
      /**
       * Kind
       * @default run
       */
      kind: string;
      /** Title */
      title: string;
      /** Recipients */
      recipients: string[];
      /**
       * Channel
       * @default
       */
      channel: string;
      /** State */
      state: string;
      /**
       * Sent
       * @default null
       */
      sent: string | null;
      /**
       * Last Error
       * @default
       */
      last_error: string;
    };
    /**
     * ReportDetail
     * @description A report with its text and its HTML.
     */
    ReportDetail: {
      /** Id */
      id: number;
      /** Run */
      run: number | null;
      /** Job */
      job: string;
      /**
       * At
       * Format: date-time
       */
      at: string;
      /**
       * Kind
       * @default run
       */
      kind: string;
      /** Title */
      title: string;
      /** Recipients */
      recipients: string[];
      /**
       * Channel
       * @default
       */
      channel: string;
      /** State */
      state: string;
      /**
       * Sent
       * @default null
       */
      sent: string | null;
      /**
       * Last Error
       * @default
       */
      last_error: string;
      /** Text */
      text: string;
      /** Html */
      html: string;
    };
    /**
     * ReportPreview
     * @description A message as it would be written now.
     */
    ReportPreview: {
      /** Title */
      title: string;
      /** Text */
      text: string;
      /** Html */
      html: string;
    };
    /**
     * Restore
     * @description A restore: from which bundle, to where, and how it ended.
     *
     *     ``kind`` is plan for one that only planned, drill for one into a scratch place, undo or drop for
     *     what was done with the files that restore ``of_restore`` has set aside. ``aside`` says what
     *     became of these: kept, undone or gone. It waits for ``after_run``, if that is not 0.
     */
    Restore: {
      /** Id */
      id: number;
      /** @default restore */
      kind: components['schemas']['RestoreKind'];
      /**
       * Of Restore
       * @default null
       */
      of_restore: number | null;
      /** @default null */
      in_place: components['schemas']['InPlace'] | null;
      /** @default null */
      relocation: components['schemas']['Relocation'] | null;
      /**
       * Commands
       * @default []
       */
      commands: components['schemas']['Command'][];
      /**
       * Hold Page
       * @default false
       */
      hold_page: boolean;
      /**
       * Bundle First
       * @default false
       */
      bundle_first: boolean;
      /**
       * After Run
       * @default 0
       */
      after_run: number;
      /** @default null */
      plan: components['schemas']['RestorePlan'] | null;
      /** @default null */
      drill: components['schemas']['DrillFigures'] | null;
      /** @default  */
      aside: components['schemas']['SetAside'];
      /**
       * Aside Until
       * @default null
       */
      aside_until: string | null;
      /** Bundle Id */
      bundle_id: number | null;
      /** Bundle */
      bundle: string;
      subject_kind: components['schemas']['SubjectKind'];
      /** Subject */
      subject: string;
      /** Store */
      store: string;
      /** Target */
      target: string;
      /** Contents */
      contents: string[];
      /** Paths */
      paths: string[];
      /** Databases */
      databases: {
        [key: string]: string;
      };
      /**
       * Tables
       * @default {}
       */
      tables: {
        [key: string]: string[];
      };
      /**
       * Full Layout
       * @default false
       */
      full_layout: boolean;
      /**
       * Whole Account
       * @default false
       */
      whole_account: boolean;
      /**
       * Web Address
       * @default
       */
      web_address: string;
      /**
       * Mail Domains
       * @default []
       */
      mail_domains: string[];
      /**
       * Mailboxes
       * @default []
       */
      mailboxes: string[];
      /**
       * Resume
       * @default false
       */
      resume: boolean;
      /**
       * Special Modes
       * @default false
       */
      special_modes: boolean;
      /**
       * Owners
       * @default {}
       */
      owners: {
        [key: string]: string;
      };
      /** State */
      state: string;
      /** Outcome */
      outcome: string | null;
      /** Error */
      error: string;
      /** Entries */
      entries: number;
      /** Bytes */
      bytes: number;
      /**
       * Total
       * @default 0
       */
      total: number;
      /**
       * Stage
       * @default
       */
      stage: string;
      /** Started By */
      started_by: string;
      /**
       * Created
       * Format: date-time
       */
      created: string;
      /** Started */
      started: string | null;
      /** Ended */
      ended: string | null;
    };
    /**
     * RestoreKind
     * @description The kind of a restore: one that restores, one that only plans, an undo or a drop of the data
     *     that another restore has set aside, and a drill into a scratch place.
     * @enum {string}
     */
    RestoreKind: 'restore' | 'plan' | 'undo' | 'drop' | 'drill';
    /**
     * RestorePlan
     * @description The sums of a plan: entries by what happens to them, and bytes.
     *
     *     ``seconds`` is how long it will take at the rate of earlier restores, None before there are any.
     */
    RestorePlan: {
      /**
       * Created
       * @default 0
       */
      created: number;
      /**
       * Replaced
       * @default 0
       */
      replaced: number;
      /**
       * Removed
       * @default 0
       */
      removed: number;
      /**
       * Attributes
       * @default 0
       */
      attributes: number;
      /**
       * Kept
       * @default 0
       */
      kept: number;
      /**
       * Unchanged
       * @default 0
       */
      unchanged: number;
      /**
       * Write Bytes
       * @default 0
       */
      write_bytes: number;
      /**
       * Aside Bytes
       * @default 0
       */
      aside_bytes: number;
      /**
       * Free Bytes
       * @default null
       */
      free_bytes: number | null;
      /**
       * Notes
       * @default []
       */
      notes: string[];
      /**
       * Seconds
       * @default null
       */
      seconds: number | null;
    };
    /**
     * RestorePlanLine
     * @description One path of a plan: what happens to it, its size in the bundle, its size now, and why.
     */
    RestorePlanLine: {
      action: components['schemas']['Action'];
      /** Path */
      path: string;
      /** Type */
      type: string;
      /**
       * Bytes
       * @default 0
       */
      bytes: number;
      /**
       * Before
       * @default 0
       */
      before: number;
      /**
       * Why
       * @default
       */
      why: string;
    };
    /**
     * RestoreStart
     * @description ``databases`` has the new name by the name of a MariaDB database in the bundle;
     *     ``store`` the copy to read, the first one when left out. ``mail_domains`` are merged into the
     *     host's own files. Without a ``target`` or ``in_place`` nothing but these comes back. With
     *     ``plan_only``, a restore in place only says what it would change.
     */
    RestoreStart: {
      /** Bundle */
      bundle: number;
      /**
       * Target
       * @default
       */
      target: string;
      /**
       * Store
       * @default
       */
      store: string;
      /**
       * Contents
       * @default []
       */
      contents: string[];
      /**
       * Paths
       * @default []
       */
      paths: string[];
      /**
       * Databases
       * @default {}
       */
      databases: {
        [key: string]: string;
      };
      /**
       * Tables
       * @description only these tables of a database, by its name in the bundle
       * @default {}
       */
      tables: {
        [key: string]: string[];
      };
      /**
       * Mail Domains
       * @default []
       */
      mail_domains: string[];
      /**
       * Mailboxes
       * @description only these addresses of the mail domains
       * @default []
       */
      mailboxes: string[];
      /**
       * Full Layout
       * @description keep the kind and whole path of chosen paths below the target folder
       * @default false
       */
      full_layout: boolean;
      /** @default null */
      in_place: components['schemas']['InPlace'] | null;
      /**
       * @description with in_place: another place than where it was
       * @default null
       */
      relocation: components['schemas']['Relocation'] | null;
      /**
       * Plan Only
       * @default false
       */
      plan_only: boolean;
      /**
       * Commands
       * @description with in_place: commands on the host around the exchange, and around an undo
       * @default []
       */
      commands: components['schemas']['Command'][];
      /**
       * Hold Page
       * @description with in_place: set the sites' hold page during the exchange
       * @default false
       */
      hold_page: boolean;
      /**
       * Bundle First
       * @description with in_place: make a bundle of the present state first, by the job of the bundle; if it fails, nothing is restored
       * @default false
       */
      bundle_first: boolean;
      /**
       * Whole Account
       * @description with in_place, for a lost account: create its user, bring mail and missing system settings back too, and ask each of its sites for a page
       * @default false
       */
      whole_account: boolean;
      /**
       * Web Address
       * @description with whole_account: where the web server answers, such as 192.0.2.7:80; the host's address by default
       * @default
       */
      web_address: string;
      /**
       * Resume
       * @description continue an interrupted restore into that folder
       * @default false
       */
      resume: boolean;
      /**
       * Special Modes
       * @description restore set-user-id and set-group-id bits, devices and system attributes even if the records do not vouch for the copy
       * @default false
       */
      special_modes: boolean;
      /**
       * Owners
       * @description names of users and groups there, by those recorded in the bundle, for owners that do not exist there
       * @default {}
       */
      owners: {
        [key: string]: string;
      };
      /**
       * Identity
       * @description a private key for this restore alone, or a file of several, where the bundle is sealed and the service keeps none
       * @default
       */
      identity: string;
    };
    /**
     * RestoreUndo
     * @description Put back what a restore has set aside; with ``force`` even if something changed since, which
     *     is then set aside.
     */
    RestoreUndo: {
      /**
       * Force
       * @default false
       */
      force: boolean;
    };
    /**
     * RetireStart
     * @description The subject, by default all, and the credentials that may remove files on an append-only
     *     store: secrets, and settings such as another user. They are used once, and kept nowhere.
     */
    RetireStart: {
      /**
       * Subject
       * @default
       */
      subject: string;
      /**
       * Settings
       * @default {}
       */
      settings: {
        [key: string]: unknown;
      };
      /**
       * Secrets
       * @default {}
       */
      secrets: {
        [key: string]: string;
      };
    };
    /**
     * Retiring
     * @description A copy that the keep rule would not keep, and the bytes that its going would free on its
     *     store, together with those listed before it of the same subject.
     */
    Retiring: {
      subject_kind: components['schemas']['SubjectKind'];
      /** Subject */
      subject: string;
      /** Store */
      store: string;
      /** Bundle */
      bundle: string;
      /**
       * Moment
       * Format: date-time
       */
      moment: string;
      /** Frees */
      frees: number;
    };
    /**
     * RuleProposal
     * @description A rule that a look at a host proposes: the field that it sets, and what it would find.
     */
    RuleProposal: {
      /** Field */
      field: string;
      /** Value */
      value: string;
      /** Finds */
      finds: string;
    };
    /**
     * Rules
     * @description Includes and excludes of files. Patterns are those of .gitignore; ``larger_than`` is in
     *     bytes, ``older_than`` in days, 0 for no limit; ``ignore_file`` names a file of further excludes
     *     in a folder.
     */
    Rules: {
      /**
       * Includes
       * @default []
       */
      includes: string[];
      /**
       * Excludes
       * @default []
       */
      excludes: string[];
      /**
       * Sets
       * @default []
       */
      sets: ('caches' | 'logs' | 'thumbnails' | 'dependencies')[];
      /**
       * Larger Than
       * @default 0
       */
      larger_than: number;
      /**
       * Older Than
       * @default 0
       */
      older_than: number;
      /**
       * One File System
       * @default false
       */
      one_file_system: boolean;
      /**
       * Skip Tagged Caches
       * @default false
       */
      skip_tagged_caches: boolean;
      /**
       * Ignore File
       * @default
       */
      ignore_file: string;
    };
    /**
     * Run
     * @description One execution of a job. ``state`` is queued, running or ended.
     */
    Run: {
      /** Id */
      id: number;
      /** Job */
      job: string;
      /**
       * Zone
       * @default UTC
       */
      zone: string;
      /**
       * Label
       * @default
       */
      label: string;
      /** State */
      state: string;
      /**
       * Outcome
       * @default null
       */
      outcome: string | null;
      /** Started By */
      started_by: string;
      /**
       * Created
       * Format: date-time
       */
      created: string;
      /**
       * Started
       * @default null
       */
      started: string | null;
      /**
       * Ended
       * @default null
       */
      ended: string | null;
      /**
       * Sentence
       * @default
       */
      sentence: string;
      /**
       * Tasks Total
       * @default 0
       */
      tasks_total: number;
      /**
       * Tasks Done
       * @default 0
       */
      tasks_done: number;
      /**
       * Bytes
       * @default 0
       */
      bytes: number;
      /**
       * Packed
       * @default 0
       */
      packed: number;
    };
    /**
     * RunDetail
     * @description A run with its tasks.
     */
    RunDetail: {
      /** Id */
      id: number;
      /** Job */
      job: string;
      /**
       * Zone
       * @default UTC
       */
      zone: string;
      /**
       * Label
       * @default
       */
      label: string;
      /** State */
      state: string;
      /**
       * Outcome
       * @default null
       */
      outcome: string | null;
      /** Started By */
      started_by: string;
      /**
       * Created
       * Format: date-time
       */
      created: string;
      /**
       * Started
       * @default null
       */
      started: string | null;
      /**
       * Ended
       * @default null
       */
      ended: string | null;
      /**
       * Sentence
       * @default
       */
      sentence: string;
      /**
       * Tasks Total
       * @default 0
       */
      tasks_total: number;
      /**
       * Tasks Done
       * @default 0
       */
      tasks_done: number;
      /**
       * Bytes
       * @default 0
       */
      bytes: number;
      /**
       * Packed
       * @default 0
       */
      packed: number;
      /**
       * Tasks
       * @default []
       */
      tasks: components['schemas']['Task'][];
    };
    /**
     * SealKey
     * @description A private key that the service keeps; it is never given back. ``others`` are the public keys
     *     of those that came in the same file.
     */
    SealKey: {
      /** Recipient */
      recipient: string;
      /**
       * Note
       * @default
       */
      note: string;
      /**
       * Added
       * Format: date-time
       */
      added: string;
      /**
       * Others
       * @default []
       */
      others: string[];
    };
    /**
     * SealStart
     * @description The subject; default: all.
     */
    SealStart: {
      /**
       * Subject
       * @default
       */
      subject: string;
    };
    /**
     * SearchHit
     * @description Something that a search has found, and its page in the console.
     */
    SearchHit: {
      /** Kind */
      kind: string;
      /** Name */
      name: string;
      /** About */
      about: string;
      /** Link */
      link: string;
    };
    /**
     * SetAside
     * @description The state of the data that a restore has set aside.
     * @enum {string}
     */
    SetAside: '' | 'kept' | 'undone' | 'gone';
    /**
     * SettingChange
     * @description A change of one thing by one person: what differs, by name of the setting, before and after;
     *     ``before`` is None for what was added, ``after`` for what was removed.
     */
    SettingChange: {
      /** Id */
      id: number;
      /**
       * At
       * Format: date-time
       */
      at: string;
      /** Who */
      who: string;
      /** Kind */
      kind: string;
      /** Name */
      name: string;
      /**
       * Before
       * @default null
       */
      before: {
        [key: string]: unknown;
      } | null;
      /**
       * After
       * @default null
       */
      after: {
        [key: string]: unknown;
      } | null;
    };
    /**
     * SignIn
     * @description A name and its password, to sign in.
     */
    SignIn: {
      /** Name */
      name: string;
      /** Password */
      password: string;
    };
    /**
     * SimulationDay
     * @description A day of a simulated year: the copies of one subject at its end and the bytes that they take,
     *     and those of all subjects of the job.
     */
    SimulationDay: {
      /**
       * Day
       * Format: date
       */
      day: string;
      /** Copies */
      copies: number;
      /** Bytes */
      bytes: number;
      /** Bytes Of All */
      bytes_of_all: number;
      /**
       * Moments
       * @default null
       */
      moments: string[] | null;
    };
    /**
     * Site
     * @description A domain served from a document root, which is below the account's home.
     */
    Site: {
      /** Name */
      name: string;
      /** Root */
      root: string;
    };
    /**
     * SiteRow
     * @description A site in the list of all sites.
     */
    SiteRow: {
      /** Name */
      name: string;
      /** Root */
      root: string;
      /** Account */
      account: string;
      /** Host */
      host: string;
      /**
       * Covered By
       * @default []
       */
      covered_by: string[];
      /**
       * Newest
       * @default null
       */
      newest: string | null;
    };
    /**
     * SizeCount
     * @description A number of entries and their size in bytes.
     */
    SizeCount: {
      /** Entries */
      entries: number;
      /** Bytes */
      bytes: number;
    };
    /**
     * SpaceNeed
     * @description The space that a run may need in one place, and the free space there; None if unknown.
     *     ``why`` explains the estimate.
     */
    SpaceNeed: {
      /** Place */
      place: string;
      /** Needed */
      needed: number;
      /** Free */
      free: number | null;
      /** Why */
      why: string;
    };
    /**
     * StartAddress
     * @description The secret address of a job, without the secret.
     */
    StartAddress: {
      /**
       * Networks
       * @default []
       */
      networks: string[];
      /**
       * Per Hour
       * @default 12
       */
      per_hour: number;
      /**
       * Enabled
       * @default true
       */
      enabled: boolean;
      /**
       * Made
       * Format: date-time
       */
      made: string;
      /**
       * Used
       * @default null
       */
      used: string | null;
    };
    /**
     * StartAddressInput
     * @description Limits of a start address: allowed networks (none: all), and starts per hour.
     */
    StartAddressInput: {
      /**
       * Networks
       * @default []
       */
      networks: string[];
      /**
       * Per Hour
       * @default 12
       */
      per_hour: number;
      /**
       * Enabled
       * @default true
       */
      enabled: boolean;
    };
    /**
     * StartAddressMade
     * @description The only time that the address itself is shown, with lines to copy.
     */
    StartAddressMade: {
      /**
       * Networks
       * @default []
       */
      networks: string[];
      /**
       * Per Hour
       * @default 12
       */
      per_hour: number;
      /**
       * Enabled
       * @default true
       */
      enabled: boolean;
      /**
       * Made
       * Format: date-time
       */
      made: string;
      /**
       * Used
       * @default null
       */
      used: string | null;
      /** Url */
      url: string;
      /** Curl */
      curl: string;
      /** Crontab */
      crontab: string;
    };
    /**
     * StartRules
     * @description The start conditions of a timetable, in the time zone of the job.
     *
     *     Nothing starts before ``first_day`` or after ``last_day``, outside of ``hours`` (such as
     *     “22:00-05:00”), or on ``days_off`` (“2026-12-25”, “12-25” for each year, “12-24..01-01”). The
     *     subjects of a run begin evenly over ``spread`` minutes. ``overlap`` says what becomes of a start
     *     while the previous run goes on: it is skipped, it waits, or the previous run is cancelled.
     *     ``missed`` says what becomes of starts while the service was down: they are caught up once, or
     *     skipped. ``priority`` says which tasks begin first when several wait.
     */
    StartRules: {
      /**
       * First Day
       * @default null
       */
      first_day: string | null;
      /**
       * Last Day
       * @default null
       */
      last_day: string | null;
      /**
       * Hours
       * @default
       */
      hours: string;
      /**
       * Days Off
       * @default []
       */
      days_off: string[];
      /**
       * Spread
       * @default 0
       */
      spread: number;
      /**
       * Overlap
       * @default skip
       * @enum {string}
       */
      overlap: 'skip' | 'wait' | 'cancel';
      /**
       * Missed
       * @default once
       * @enum {string}
       */
      missed: 'once' | 'skip';
      /**
       * Priority
       * @default normal
       * @enum {string}
       */
      priority: 'high' | 'normal' | 'low';
    };
    /**
     * Started
     * @description The answer to starting something.
     */
    Started: {
      /** Id */
      id: number;
      /** Url */
      url: string;
    };
    /**
     * Store
     * @description A store, with what the records know to be on it: copies, their bytes, damaged files.
     */
    Store: {
      /** Name */
      name: string;
      settings:
        | components['schemas']['SettingsFolderSettings']
        | components['schemas']['SettingsSftpSettings']
        | components['schemas']['SettingsFtpSettings']
        | components['schemas']['SettingsS3Settings']
        | components['schemas']['SettingsWebdavSettings']
        | components['schemas']['SettingsDriveSettings'];
      /**
       * Verify Days
       * @default 30
       */
      verify_days: number;
      /**
       * Limits
       * @default []
       */
      limits: string[];
      /**
       * Stall Timeout
       * @default 120
       */
      stall_timeout: number;
      /**
       * Max Concurrent
       * @default 0
       */
      max_concurrent: number;
      /**
       * Read Back
       * @default true
       */
      read_back: boolean;
      /**
       * Queue
       * @default
       */
      queue: string;
      /**
       * Append Only
       * @default false
       */
      append_only: boolean;
      /**
       * Reserve
       * @default 0
       */
      reserve: number;
      /**
       * Price Kept
       * @default 0
       */
      price_kept: number;
      /**
       * Price Moved
       * @default 0
       */
      price_moved: number;
      /**
       * Currency
       * @default
       */
      currency: string;
      /**
       * Recipients
       * @default []
       */
      recipients: string[];
      /**
       * Copy From
       * @default
       */
      copy_from: string;
      /**
       * Copy Timetable
       * @default by hand
       */
      copy_timetable: string;
      /**
       * Copy Zone
       * @default UTC
       */
      copy_zone: string;
      /**
       * Copy Move
       * @default false
       */
      copy_move: boolean;
      /** Where */
      where: string;
      /**
       * Secrets Set
       * @default []
       */
      secrets_set: string[];
      /**
       * Jobs
       * @default []
       */
      jobs: string[];
      /**
       * Copies
       * @default 0
       */
      copies: number;
      /**
       * Bytes
       * @default 0
       */
      bytes: number;
      /**
       * Damaged
       * @default 0
       */
      damaged: number;
      /**
       * Owner
       * @default
       */
      owner: string;
      /**
       * Tried
       * @default null
       */
      tried: string | null;
      /**
       * Free
       * @default null
       */
      free: number | null;
      /**
       * Free At
       * @default null
       */
      free_at: string | null;
      /**
       * Full On
       * @default null
       */
      full_on: string | null;
      /**
       * Lag
       * @default 0
       */
      lag: number;
      /**
       * Month Price
       * @default 0
       */
      month_price: number;
      /**
       * Oldest Read
       * @default null
       */
      oldest_read: string | null;
      /**
       * If Stolen
       * @default []
       */
      if_stolen: string[];
      /**
       * Access
       * @default
       * @enum {string}
       */
      access: '' | 'none' | 'given';
    };
    /**
     * StoreAccess
     * @description The state of access to a drive. While that is ``waiting``, the owner opens
     *     ``address`` and confirms ``code``; ``text`` says what happened.
     */
    StoreAccess: {
      /**
       * State
       * @enum {string}
       */
      state: 'none' | 'waiting' | 'given' | 'refused';
      /**
       * Text
       * @default
       */
      text: string;
      /**
       * Address
       * @default
       */
      address: string;
      /**
       * Code
       * @default
       */
      code: string;
      /**
       * Interval
       * @default 5
       */
      interval: number;
    };
    /**
     * StoreDay
     * @description A day of UTC: bytes sent and read, and held when they were last counted on it.
     */
    StoreDay: {
      /**
       * Day
       * Format: date
       */
      day: string;
      /** Sent */
      sent: number;
      /** Received */
      received: number;
      /**
       * Stored
       * @default null
       */
      stored: number | null;
    };
    /**
     * StoreFill
     * @description The usage of a store; ``full_on`` is the day on which it will be full, if known, and ``lag``
     *     the number of missed bundles.
     */
    StoreFill: {
      /** Name */
      name: string;
      /** Kind */
      kind: string;
      /** Where */
      where: string;
      /** Copies */
      copies: number;
      /** Bytes */
      bytes: number;
      /**
       * Newest
       * @default null
       */
      newest: string | null;
      /**
       * Free
       * @default null
       */
      free: number | null;
      /**
       * Full On
       * @default null
       */
      full_on: string | null;
      /**
       * Lag
       * @default 0
       */
      lag: number;
      /**
       * Tried
       * @default true
       */
      tried: boolean;
    };
    /**
     * StoreInput
     * @description A store to be saved. ``secrets`` that are left out stay as they were; an empty text removes
     *     one.
     */
    StoreInput: {
      /** Name */
      name: string;
      settings:
        | components['schemas']['SettingsFolderSettings']
        | components['schemas']['SettingsSftpSettings']
        | components['schemas']['SettingsFtpSettings']
        | components['schemas']['SettingsS3Settings']
        | components['schemas']['SettingsWebdavSettings']
        | components['schemas']['SettingsDriveSettings'];
      /**
       * Verify Days
       * @default 30
       */
      verify_days: number;
      /**
       * Limits
       * @default []
       */
      limits: string[];
      /**
       * Stall Timeout
       * @default 120
       */
      stall_timeout: number;
      /**
       * Max Concurrent
       * @default 0
       */
      max_concurrent: number;
      /**
       * Read Back
       * @default true
       */
      read_back: boolean;
      /**
       * Queue
       * @default
       */
      queue: string;
      /**
       * Append Only
       * @default false
       */
      append_only: boolean;
      /**
       * Reserve
       * @default 0
       */
      reserve: number;
      /**
       * Price Kept
       * @default 0
       */
      price_kept: number;
      /**
       * Price Moved
       * @default 0
       */
      price_moved: number;
      /**
       * Currency
       * @default
       */
      currency: string;
      /**
       * Recipients
       * @default []
       */
      recipients: string[];
      /**
       * Copy From
       * @default
       */
      copy_from: string;
      /**
       * Copy Timetable
       * @default by hand
       */
      copy_timetable: string;
      /**
       * Copy Zone
       * @default UTC
       */
      copy_zone: string;
      /**
       * Copy Move
       * @default false
       */
      copy_move: boolean;
      /**
       * Secrets
       * @default {}
       */
      secrets: {
        [key: string]: string | null;
      };
    };
    /**
     * StoreProposal
     * @description A host, account, store or job that a store proposes; it has no effect until it is accepted.
     *
     *     ``root`` is an account's home as the bundle has it, and ``vouched`` whether this service made
     *     the bundle. ``document`` is all that it tells.
     */
    StoreProposal: {
      /**
       * Kind
       * @enum {string}
       */
      kind: 'host' | 'account' | 'store' | 'job';
      /** Name */
      name: string;
      /**
       * Host
       * @default
       */
      host: string;
      /**
       * Root
       * @default
       */
      root: string;
      /** Vouched */
      vouched: boolean;
      /**
       * Document
       * @default {}
       */
      document: {
        [key: string]: unknown;
      };
      /**
       * With Settings
       * @default false
       */
      with_settings: boolean;
    };
    /**
     * StoreShare
     * @description The share of one subject or job in a store: copies, and bytes of their pieces.
     */
    StoreShare: {
      /** Name */
      name: string;
      /** Copies */
      copies: number;
      /** Bytes */
      bytes: number;
    };
    /**
     * StoreSimulation
     * @description The coming year of a store, if every run of its jobs succeeds and sizes do not change.
     *
     *     ``bytes`` is what it holds now, ``room`` what it can hold, None where it does not tell;
     *     ``full_on`` is the first day on which that would not be enough.
     */
    StoreSimulation: {
      /** Name */
      name: string;
      /** Bytes */
      bytes: number;
      /** Room */
      room: number | null;
      /** Full On */
      full_on: string | null;
      /** Jobs */
      jobs: string[];
      /** Days */
      days: components['schemas']['StoreSimulationDay'][];
    };
    /**
     * StoreSimulationDay
     * @description The upper limit of a store's usage at the end of a day.
     */
    StoreSimulationDay: {
      /**
       * Day
       * Format: date
       */
      day: string;
      /** Bytes */
      bytes: number;
    };
    /**
     * StoreUsage
     * @description A store's usage, growth, cost, missing copies, and the day it will be full.
     *
     *     ``per_day`` is the growth in bytes a day; ``full_on`` the day on which it will be full at that
     *     pace, and ``why`` what that rests on. Prices are of a month. ``lag`` counts the bundles that
     *     jobs wanted on it and that are on other stores alone; ``oldest_read`` is the copy that was read
     *     through longest ago.
     */
    StoreUsage: {
      /** Name */
      name: string;
      /** Bytes */
      bytes: number;
      /** Copies */
      copies: number;
      /**
       * Free
       * @default null
       */
      free: number | null;
      /**
       * Free At
       * @default null
       */
      free_at: string | null;
      /**
       * Reserve
       * @default 0
       */
      reserve: number;
      /**
       * Per Day
       * @default null
       */
      per_day: number | null;
      /**
       * Full On
       * @default null
       */
      full_on: string | null;
      /**
       * Why
       * @default
       */
      why: string;
      /**
       * Price Kept
       * @default 0
       */
      price_kept: number;
      /**
       * Price Moved
       * @default 0
       */
      price_moved: number;
      /**
       * Currency
       * @default
       */
      currency: string;
      /**
       * Lag
       * @default 0
       */
      lag: number;
      /**
       * Oldest Read
       * @default null
       */
      oldest_read: string | null;
      /**
       * Old Versions
       * @default null
       */
      old_versions: number | null;
      /**
       * Days
       * @default []
       */
      days: components['schemas']['StoreDay'][];
      /**
       * Transfers
       * @default []
       */
      transfers: components['schemas']['TransferDay'][];
      /**
       * Subjects
       * @default []
       */
      subjects: components['schemas']['StoreShare'][];
      /**
       * Jobs
       * @default []
       */
      jobs: components['schemas']['StoreShare'][];
      /**
       * Advice
       * @default []
       */
      advice: string[];
    };
    /**
     * SubjectKind
     * @description A kind of subject, as records, orders and stores write it.
     * @enum {string}
     */
    SubjectKind: 'account' | 'site' | 'host' | 'store';
    /**
     * SubjectNights
     * @description The last nights of a subject.
     */
    SubjectNights: {
      subject_kind: components['schemas']['SubjectKind'];
      /** Subject */
      subject: string;
      /** Nights */
      nights: components['schemas']['Night'][];
    };
    /**
     * TableChange
     * @description A table with its number of rows in two bundles, None if a bundle lacks it.
     */
    TableChange: {
      /** Database */
      database: string;
      /** Table */
      table: string;
      /** Before */
      before: number | null;
      /** After */
      after: number | null;
    };
    /**
     * TableInfo
     * @description A table of a database in a bundle; ``rows`` is None where they were not counted, and
     *     ``bytes`` is how much of the bundle's contents it is, 0 where that is not known.
     */
    TableInfo: {
      /** Name */
      name: string;
      /**
       * Rows
       * @default null
       */
      rows: number | null;
      /**
       * Bytes
       * @default 0
       */
      bytes: number;
    };
    /**
     * Task
     * @description The part of a run for one subject. While it runs, the last four tell how far it is:
     *     bytes packed and pushed, the bytes expected, and bytes a second.
     */
    Task: {
      /** Id */
      id: number;
      subject_kind: components['schemas']['SubjectKind'];
      /** Subject */
      subject: string;
      /** State */
      state: string;
      /**
       * Outcome
       * @default null
       */
      outcome: string | null;
      /**
       * Error
       * @default
       */
      error: string;
      /**
       * Bundle
       * @default
       */
      bundle: string;
      /**
       * Bundle Id
       * @default null
       */
      bundle_id: number | null;
      /**
       * Entries
       * @default 0
       */
      entries: number;
      /**
       * Bytes
       * @default 0
       */
      bytes: number;
      /**
       * Packed
       * @default 0
       */
      packed: number;
      /**
       * Started
       * @default null
       */
      started: string | null;
      /**
       * Ended
       * @default null
       */
      ended: string | null;
      /**
       * Not Before
       * @default null
       */
      not_before: string | null;
      /**
       * Not After
       * @default null
       */
      not_after: string | null;
      /**
       * Attempts
       * @default 0
       */
      attempts: number;
      /**
       * Warnings
       * @default []
       */
      warnings: string[];
      /**
       * Copies
       * @default []
       */
      copies: components['schemas']['TaskCopy'][];
      /** @default null */
      changes: components['schemas']['Changes'] | null;
      /**
       * Stage
       * @default
       */
      stage: string;
      /**
       * Pushed
       * @default 0
       */
      pushed: number;
      /**
       * Expected
       * @default 0
       */
      expected: number;
      /**
       * Rate
       * @default 0
       */
      rate: number;
      /**
       * Remaining
       * @default null
       */
      remaining: number | null;
    };
    /**
     * TaskCopy
     * @description The copy of a bundle on one store: how many copies it has kept and retired.
     */
    TaskCopy: {
      /** Store */
      store: string;
      /**
       * Error
       * @default
       */
      error: string;
      /**
       * Kept
       * @default 0
       */
      kept: number;
      /**
       * Retired
       * @default 0
       */
      retired: number;
    };
    /**
     * TaskLimits
     * @description Retries and time limits of tasks.
     *
     *     A task that failed for a reason that may pass, such as a host that does not answer, is tried
     *     again up to ``retries`` times, ``pause`` minutes later. A task may take ``task`` minutes, each
     *     of its steps ``step``, and the run ``run``; 0 for any time.
     */
    TaskLimits: {
      /**
       * Retries
       * @default 2
       */
      retries: number;
      /**
       * Pause
       * @default 10
       */
      pause: number;
      /**
       * Task
       * @default 0
       */
      task: number;
      /**
       * Step
       * @default 0
       */
      step: number;
      /**
       * Run
       * @default 0
       */
      run: number;
    };
    /**
     * Template
     * @description A message template: the present text and the default.
     */
    Template: {
      /** Name */
      name: string;
      /** Text */
      text: string;
      /** Shipped */
      shipped: string;
      /** Changed */
      changed: boolean;
    };
    /**
     * TemplateText
     * @description A text in place of a template; None for the one that came along.
     */
    TemplateText: {
      /**
       * Text
       * @default null
       */
      text: string | null;
    };
    /**
     * Thresholds
     * @description Thresholds of anomaly detection, in percent of the median of earlier bundles:
     *     smaller than ``smaller``, larger than ``larger``, or with more changes than ``changes``; 0 for
     *     never.
     */
    Thresholds: {
      /**
       * Smaller
       * @default 50
       */
      smaller: number;
      /**
       * Larger
       * @default 300
       */
      larger: number;
      /**
       * Changes
       * @default 1000
       */
      changes: number;
    };
    /**
     * Token
     * @description A token, without its secret.
     */
    Token: {
      /** Name */
      name: string;
      /**
       * Created
       * Format: date-time
       */
      created: string;
      /**
       * Last Used
       * @default null
       */
      last_used: string | null;
    };
    /**
     * TokenMade
     * @description The only time that the token itself is shown.
     */
    TokenMade: {
      /** Name */
      name: string;
      /**
       * Created
       * Format: date-time
       */
      created: string;
      /**
       * Last Used
       * @default null
       */
      last_used: string | null;
      /** Token */
      token: string;
    };
    /**
     * TokenNew
     * @description A token to make: its name.
     */
    TokenNew: {
      /** Name */
      name: string;
    };
    /**
     * Transfer
     * @description A bundle that was brought to a store from another; ``bytes`` were sent for it.
     */
    Transfer: {
      /** Source */
      source: string;
      subject_kind: components['schemas']['SubjectKind'];
      /** Subject */
      subject: string;
      /** Bundle */
      bundle: string;
      /** Bytes */
      bytes: number;
      /**
       * At
       * Format: date-time
       */
      at: string;
    };
    /**
     * TransferDay
     * @description Transfers to a store on a day of UTC.
     */
    TransferDay: {
      /** Day */
      day: string;
      /** Bundles */
      bundles: number;
      /** Bytes */
      bytes: number;
    };
    /**
     * TransferStart
     * @description The bundles to copy to a store: all that ``source`` has and it lacks or, without a source,
     *     those that its jobs missed. With ``move`` they are removed from the source once they are whole.
     */
    TransferStart: {
      /**
       * Source
       * @default
       */
      source: string;
      /**
       * Subject
       * @default
       */
      subject: string;
      /**
       * Move
       * @default false
       */
      move: boolean;
    };
    /**
     * TryResult
     * @description The result of a test. ``host_key`` is the fingerprint that the server presented.
     */
    TryResult: {
      /** Ok */
      ok: boolean;
      /** Steps */
      steps: components['schemas']['TryStep'][];
      /**
       * Host Key
       * @default
       */
      host_key: string;
    };
    /**
     * TryStep
     * @description One step of trying something. ``text`` says how it went, ``hint`` what to do.
     */
    TryStep: {
      /** Name */
      name: string;
      /** Ok */
      ok: boolean;
      /** Text */
      text: string;
      /**
       * Hint
       * @default
       */
      hint: string;
      /**
       * Seconds
       * @default 0
       */
      seconds: number;
      /**
       * Field
       * @default
       */
      field: string;
    };
    /**
     * Unmatched
     * @description Findings of the last discovery that no rule assigns to an account: databases, and server
     *     names without a domain, with their document roots.
     */
    Unmatched: {
      /**
       * Databases
       * @default []
       */
      databases: string[];
      /**
       * Names
       * @default []
       */
      names: string[];
    };
    /**
     * Upcoming
     * @description A start that will come, in the time zone of its job.
     */
    Upcoming: {
      /**
       * At
       * Format: date-time
       */
      at: string;
      /** Job */
      job: string;
      /** Zone */
      zone: string;
      /**
       * Expected
       * @default null
       */
      expected: number | null;
    };
    /**
     * Upload
     * @description An upload under way: the bytes that have arrived of each file, and whether it is complete,
     *     by the paths on the store.
     */
    Upload: {
      /** Name */
      name: string;
      /**
       * Received
       * @default {}
       */
      received: {
        [key: string]: number;
      };
      /**
       * Complete
       * @default []
       */
      complete: string[];
    };
    /**
     * UploadReceived
     * @description The bytes that have arrived of a file.
     */
    UploadReceived: {
      /** File */
      file: string;
      /** Received */
      received: number;
    };
    /**
     * UploadStart
     * @description An upload of bundles into a new store on the service's machine, which gets this name.
     */
    UploadStart: {
      /** Name */
      name: string;
    };
    /**
     * VerifyStart
     * @description The copies to verify: all on the store, those of one subject, or one bundle's. ``deep`` reads
     *     every byte.
     */
    VerifyStart: {
      /**
       * Deep
       * @default false
       */
      deep: boolean;
      /**
       * Subject
       * @default
       */
      subject: string;
      /**
       * Bundle
       * @default null
       */
      bundle: number | null;
    };
    /**
     * VersionedFile
     * @description A file with its versions over the bundles of a subject and job, oldest first. ``is_gone``
     *     says that the newest bundle lacks it.
     */
    VersionedFile: {
      subject_kind: components['schemas']['SubjectKind'];
      /** Subject */
      subject: string;
      /** Job */
      job: string;
      kind: components['schemas']['Contents'];
      /** Path */
      path: string;
      /** Is Gone */
      is_gone: boolean;
      /** Versions */
      versions: components['schemas']['FileVersion'][];
    };
    /**
     * VersionsFound
     * @description The files that a search over bundles found; ``bundles`` were searched in ``seconds``.
     *
     *     ``more`` says that it ended early; ``unreadable`` names what could not be searched, and why.
     */
    VersionsFound: {
      /**
       * Items
       * @default []
       */
      items: components['schemas']['VersionedFile'][];
      /**
       * Bundles
       * @default 0
       */
      bundles: number;
      /**
       * Seconds
       * @default 0
       */
      seconds: number;
      /**
       * More
       * @default false
       */
      more: boolean;
      /**
       * Unreadable
       * @default []
       */
      unreadable: string[];
    };
    /**
     * WatchSettings
     * @description The recipients of alerts that belong to no job, the quiet hours (“22:00-06:00”), the hours
     *     after which an unacknowledged alert is sent again (0: never), and the thresholds in days.
     */
    WatchSettings: {
      /**
       * Recipients
       * @default []
       */
      recipients: string[];
      /**
       * Channels
       * @default []
       */
      channels: string[];
      /**
       * Quiet
       * @default
       */
      quiet: string;
      /**
       * Zone
       * @default UTC
       */
      zone: string;
      /**
       * Remind Hours
       * @default 0
       */
      remind_hours: number;
      /**
       * Full Days
       * @default 14
       */
      full_days: number;
      /**
       * Certificate Days
       * @default 21
       */
      certificate_days: number;
      /**
       * Lag Hours
       * @default 24
       */
      lag_hours: number;
      /**
       * Verify Days
       * @default 7
       */
      verify_days: number;
      /**
       * Restores
       * @default always
       * @enum {string}
       */
      restores: 'always' | 'trouble' | 'never';
    };
    /**
     * WorkerCode
     * @description A code that enrols one worker; it is in this answer alone.
     */
    WorkerCode: {
      /** Code */
      code: string;
      /** Queue */
      queue: string;
      /**
       * Expires
       * Format: date-time
       */
      expires: string;
    };
    /**
     * WorkerCodeStart
     * @description The queue of a worker to be enrolled.
     */
    WorkerCodeStart: {
      /** Queue */
      queue: string;
    };
    /**
     * WorkerDrain
     * @description A request to drain a worker: it finishes its tasks and gets no further orders.
     */
    WorkerDrain: {
      /**
       * Drains
       * @default true
       */
      drains: boolean;
    };
    /**
     * WorkerTask
     * @description A task of a worker: the kind of work, and its subject.
     */
    WorkerTask: {
      /** Kind */
      kind: string;
      subject_kind: components['schemas']['SubjectKind'];
      /** Subject */
      subject: string;
      /** Begun */
      begun: boolean;
    };
    /**
     * FolderSettings
     * @description A folder of this machine, and what mounts it.
     */
    SettingsFolderSettings: {
      /**
       * @description discriminator enum property added by openapi-typescript
       * @enum {string}
       */
      kind: 'folder';
      /**
       * Folder
       * @description A copy only on this machine is lost with it.
       * @example /mnt/second-disk/bundles
       */
      folder: string;
      /**
       * It must be a mount point
       * @description Nothing is written while the folder, or the one above it, is not mounted.
       * @default false
       */
      mounted: boolean;
      /**
       * Command to mount it
       * @description Run before the store is used, when it is not mounted.
       * @default
       * @example mount /mnt/second-disk
       */
      mount_command: string;
      /**
       * Command to unmount it
       * @description Run when no task uses the store any more.
       * @default
       * @example umount /mnt/second-disk
       */
      unmount_command: string;
    };
    /**
     * SftpSettings
     * @description A folder on a server that speaks SFTP.
     */
    SettingsSftpSettings: {
      /**
       * @description discriminator enum property added by openapi-typescript
       * @enum {string}
       */
      kind: 'sftp';
      /**
       * Address
       * @example storage.sedge-quill.example
       */
      address: string;
      /**
       * Port
       * @default 22
       */
      port: number;
      /** User */
      user: string;
      /**
       * Folder on the server
       * @description Created if missing.
       * @example /bundles
       */
      folder: string;
      /**
       * Accepted host key
       * @description The server’s fingerprint. Leave it empty to have a test show it, so that you can compare and accept it.
       * @default
       * @example SHA256:…
       */
      host_key: string;
    };
    /**
     * FtpStoreSettings
     * @description A folder on a server that speaks FTP.
     */
    SettingsFtpSettings: {
      /**
       * @description discriminator enum property added by openapi-typescript
       * @enum {string}
       */
      kind: 'ftp';
      /**
       * Address
       * @example ftp.sedge-quill.example
       */
      address: string;
      /**
       * Port
       * @default 21
       */
      port: number;
      /** User */
      user: string;
      /**
       * Security
       * @description “tls” is explicit TLS. With “none”, password and files can be read on the way.
       * @default tls
       * @enum {string}
       */
      security: 'tls' | 'none';
      /**
       * Accepted certificate
       * @description In PEM form, where no known authority signed it. Leave it empty otherwise.
       * @default
       */
      certificate: string;
      /**
       * Folder on the server
       * @description Created if missing.
       * @example /bundles
       */
      folder: string;
    };
    /**
     * S3Settings
     * @description A bucket, and the folder in it.
     */
    SettingsS3Settings: {
      /**
       * @description discriminator enum property added by openapi-typescript
       * @enum {string}
       */
      kind: 's3';
      /**
       * Endpoint
       * @description The address of the object storage; its provider lists it next to the keys.
       * @example https://objects.sedge-quill.example
       */
      endpoint: string;
      /**
       * Region
       * @default us-east-1
       */
      region: string;
      /**
       * Bucket
       * @example heronmere-bundles
       */
      bucket: string;
      /**
       * Folder in the bucket
       * @description Before the names of all objects; empty for the bucket itself.
       * @default
       * @example reed-1
       */
      folder: string;
      /**
       * Create the bucket
       * @description If no bucket of that name exists. Without it a wrong name is an error.
       * @default false
       */
      create_bucket: boolean;
      /**
       * Bucket in the path
       * @description Instead of before the host name; many storages of one's own want it.
       * @default false
       */
      path_style: boolean;
      /**
       * Storage class of pieces
       * @description As the provider names it; empty for its own choice. One that must be thawed before it can be read makes restores wait.
       * @default
       */
      storage_class: string;
      /**
       * Accepted certificate
       * @description In PEM form, where no known authority signed it. Leave it empty otherwise.
       * @default
       */
      certificate: string;
      /**
       * Remove old versions
       * @description If the bucket keeps versions: remove retired files with all their versions, which requires the right s3:DeleteObjectVersion. Otherwise the bucket never shrinks.
       * @default false
       */
      remove_versions: boolean;
      /**
       * Object lock
       * @description Lock each copy until its keep rule no longer wants it, at most for a year; the bucket must have been created with object lock, and the keys need the rights s3:PutObjectRetention and s3:GetObjectRetention. Governance: keys with a special right can remove it earlier; compliance: nobody can.
       * @default none
       * @enum {string}
       */
      object_lock: 'none' | 'governance' | 'compliance';
    };
    /**
     * WebDavSettings
     * @description A folder on a WebDAV server, and how to sign in there.
     */
    SettingsWebdavSettings: {
      /**
       * @description discriminator enum property added by openapi-typescript
       * @enum {string}
       */
      kind: 'webdav';
      /**
       * Address of the folder
       * @description Created if missing; its parent folder must exist.
       * @example https://drive.sedge-quill.example/dav/bundles
       */
      url: string;
      /**
       * Sign in by
       * @description “bearer” sends a token instead of user and password.
       * @default basic
       * @enum {string}
       */
      sign_in: 'basic' | 'digest' | 'bearer';
      /**
       * User
       * @default
       */
      user: string;
      /**
       * Accepted certificate
       * @description In PEM form, where no known authority signed it. Leave it empty otherwise.
       * @default
       */
      certificate: string;
    };
    /**
     * DriveSettings
     * @description A folder on a drive, and where access to it is asked for.
     */
    SettingsDriveSettings: {
      /**
       * @description discriminator enum property added by openapi-typescript
       * @enum {string}
       */
      kind: 'drive';
      /**
       * Address of the folder
       * @description Its WebDAV address; the drive's help names it.
       * @example https://drive.sedge-quill.example/dav/bundles
       */
      url: string;
      /**
       * Address for device authorisation
       * @description The authorization address, from the drive's developer documentation.
       * @example https://drive.sedge-quill.example/oauth/device
       */
      device_url: string;
      /**
       * Address for tokens
       * @example https://drive.sedge-quill.example/oauth/token
       */
      token_url: string;
      /**
       * Client id
       * @description Made where the drive registers programs (“apps”).
       */
      client_id: string;
      /**
       * Scope
       * @description The requested scope: the narrowest that can read and write this folder.
       * @default
       * @example files:bundles
       */
      scope: string;
    };
    /**
     * LocalSettings
     * @description The machine that the service runs on.
     */
    ConnectionLocalSettings: {
      /**
       * @description discriminator enum property added by openapi-typescript
       * @enum {string}
       */
      kind: 'local';
    };
    /**
     * SshSettings
     * @description A server reached over SSH; nothing is installed there.
     */
    ConnectionSshSettings: {
      /**
       * @description discriminator enum property added by openapi-typescript
       * @enum {string}
       */
      kind: 'ssh';
      /**
       * Address
       * @example reed-2.sedge-quill.example
       */
      address: string;
      /**
       * Port
       * @default 22
       */
      port: number;
      /**
       * User
       * @example root
       */
      user: string;
      /**
       * Accepted host key
       * @description The server’s fingerprint. Leave it empty to have a test show it, so that you can compare and accept it.
       * @default
       * @example SHA256:…
       */
      host_key: string;
      /**
       * Read without a safe way
       * @description If the host has no Python 3.7, root reads only by paths: a user who exchanges one of their folders for a link meanwhile may have other files read into the user's bundle. It must be allowed.
       * @default false
       */
      unsafe_reading: boolean;
    };
    /**
     * FtpHostSettings
     * @description Web space reached over FTP.
     */
    ConnectionFtpSettings: {
      /**
       * @description discriminator enum property added by openapi-typescript
       * @enum {string}
       */
      kind: 'ftp';
      /**
       * Address
       * @example ftp.sedge-quill.example
       */
      address: string;
      /**
       * Port
       * @default 21
       */
      port: number;
      /** User */
      user: string;
      /**
       * Security
       * @description “tls” is explicit TLS. With “none”, password and files can be read on the way.
       * @default tls
       * @enum {string}
       */
      security: 'tls' | 'none';
      /**
       * Accepted certificate
       * @description In PEM form, where no known authority signed it. Leave it empty otherwise.
       * @default
       */
      certificate: string;
      /**
       * Folder that the FTP root is
       * @description If the server shows the account's home as “/”: its real path, as known here. Empty where paths are the same.
       * @default
       * @example /home/millpond
       */
      root: string;
    };
    /**
     * UnconnectedSettings
     * @description A host of another installation, known by its name.
     */
    ConnectionUnconnectedSettings: {
      /**
       * @description discriminator enum property added by openapi-typescript
       * @enum {string}
       */
      kind: 'unconnected';
    };
    /**
     * MariaDbSettings
     * @description A server reached by a Unix socket, or by an address and port.
     */
    ServersMariadbSettings: {
      /**
       * @description discriminator enum property added by openapi-typescript
       * @enum {string}
       */
      kind: 'mariadb';
      /**
       * Socket
       * @description Or an address and a port, below.
       * @default
       * @example /run/mysqld/mysqld.sock
       */
      socket: string;
      /**
       * Address
       * @default
       * @example 127.0.0.1
       */
      address: string;
      /**
       * Port
       * @default 3306
       */
      port: number;
      /**
       * User
       * @default
       * @example fasciculus
       */
      user: string;
      /**
       * User for restoring
       * @description If another: one that may change databases, while the first one only reads.
       * @default
       * @example fasciculus-restore
       */
      restore_user: string;
    };
    /**
     * PostgreSqlSettings
     * @description A server reached by the folder of its Unix socket, or by an address and port.
     */
    ServersPostgresqlSettings: {
      /**
       * @description discriminator enum property added by openapi-typescript
       * @enum {string}
       */
      kind: 'postgresql';
      /**
       * Folder of the socket
       * @description Or an address, below.
       * @default
       * @example /run/postgresql
       */
      socket: string;
      /**
       * Address
       * @default
       * @example 127.0.0.1
       */
      address: string;
      /**
       * Port
       * @default 5432
       */
      port: number;
      /**
       * User
       * @default
       * @example fasciculus
       */
      user: string;
      /**
       * User for restoring
       * @description If another: one that may create databases and roles.
       * @default
       * @example fasciculus_restore
       */
      restore_user: string;
      /**
       * Connections for large databases
       * @description They read one snapshot side by side. 0 is one for two cores here, at most 4.
       * @default 0
       */
      connections: number;
    };
    /**
     * WebhookSettings
     * @description The payload of a webhook.
     */
    SettingsWebhookSettings: {
      /**
       * @description discriminator enum property added by openapi-typescript
       * @enum {string}
       */
      kind: 'webhook';
      /**
       * Template
       * @description Replaces the payload; must produce JSON, as in {"text": {{ message.title | tojson }}}.
       * @default
       */
      template: string;
    };
    /**
     * ChatSettings
     * @description The form of a chat message.
     */
    SettingsChatSettings: {
      /**
       * @description discriminator enum property added by openapi-typescript
       * @enum {string}
       */
      kind: 'chat';
      /**
       * Field
       * @description The name of the field that holds the line in the JSON sent.
       * @default text
       * @enum {string}
       */
      field: 'text' | 'content';
    };
    /**
     * MailSettings
     * @description The recipients of a mail channel, and its mail server if it has its own.
     */
    SettingsMailSettings: {
      /**
       * @description discriminator enum property added by openapi-typescript
       * @enum {string}
       */
      kind: 'mail';
      /**
       * Recipients
       * @description E-mail addresses, separated by commas.
       * @example duty@sedge-quill.example
       */
      recipients: string;
      /**
       * Mail server
       * @description Empty: the mail server for all reports. Another one, if this is the fallback channel.
       * @default
       * @example mail.sedge-quill.example
       */
      address: string;
      /**
       * Port
       * @default 587
       */
      port: number;
      /**
       * Security
       * @default starttls
       * @enum {string}
       */
      security: 'starttls' | 'tls' | 'none';
      /**
       * User
       * @default
       */
      user: string;
      /**
       * Sender
       * @description Empty: the sender of all reports.
       * @default
       */
      sender: string;
    };
  };
  responses: never;
  parameters: never;
  requestBodies: never;
  headers: never;
  pathItems: never;
}
export type $defs = Record<string, never>;
export interface operations {
  definitions_export: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/toml': unknown;
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  definitions_apply: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['Definitions'];
      };
    };
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Applied'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  keys_list: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_SealKey_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  keys_keep: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['KeyKeep'];
      };
    };
    responses: {
      /** @description the answer */
      201: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['SealKey'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  keys_make: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['KeyMake'];
      };
    };
    responses: {
      /** @description the answer */
      201: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['KeyMade'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  keys_remove: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        recipient: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description done */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  stores_verify: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['VerifyStart'];
      };
    };
    responses: {
      /** @description the answer */
      202: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['MaintenanceStarted'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  stores_repair: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['RepairStart'];
      };
    };
    responses: {
      /** @description the answer */
      202: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['MaintenanceStarted'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  stores_repack: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['RepackStart'];
      };
    };
    responses: {
      /** @description the answer */
      202: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['MaintenanceStarted'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  stores_transfer: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['TransferStart'];
      };
    };
    responses: {
      /** @description the answer */
      202: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['MaintenanceStarted'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  stores_seal: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['SealStart'];
      };
    };
    responses: {
      /** @description the answer */
      202: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['MaintenanceStarted'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  stores_retire: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['RetireStart'];
      };
    };
    responses: {
      /** @description the answer */
      202: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['MaintenanceStarted'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  stores_import: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      202: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['MaintenanceStarted'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  stores_transfers: {
    parameters: {
      query?: {
        /** @description at most so many items */
        limit?: number;
        /** @description “next” of the page before */
        cursor?: string | null;
        /** @description a column's name, with “-” before it for backwards */
        sort?: string;
        /** @description only of this day of UTC, such as 2026-11-24 */
        day?: string;
      };
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_Transfer_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  maintenance_list: {
    parameters: {
      query?: {
        /** @description at most so many items */
        limit?: number;
        /** @description “next” of the page before */
        cursor?: string | null;
        /** @description a column's name, with “-” before it for backwards */
        sort?: string;
        kind?: '' | 'verify' | 'repair' | 'repack' | 'transfer' | 'import' | 'reseal' | 'retire';
        /** @description only on this store */
        store?: string;
        /** @description only of this subject */
        subject?: string;
        state?: '' | 'queued' | 'running' | 'ended';
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_MaintenanceTask_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  maintenance_show: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        maintenance_id: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['MaintenanceTask'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  maintenance_cancel: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        maintenance_id: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      202: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['MaintenanceTask'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  maintenance_log: {
    parameters: {
      query?: {
        /** @description at most so many items */
        limit?: number;
        /** @description “next” of the page before */
        cursor?: string | null;
        /** @description a column's name, with “-” before it for backwards */
        sort?: string;
        /** @description only this level; “trouble” for warnings and errors */
        level?: '' | 'info' | 'warning' | 'error' | 'trouble';
        /** @description only what holds these words */
        q?: string;
      };
      header?: never;
      path: {
        maintenance_id: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_LogLine_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  damage_list: {
    parameters: {
      query?: {
        /** @description at most so many items */
        limit?: number;
        /** @description “next” of the page before */
        cursor?: string | null;
        /** @description a column's name, with “-” before it for backwards */
        sort?: string;
        /** @description only on this store */
        store?: string;
        /** @description only of this subject */
        subject?: string;
        /** @description only of this kind of subject */
        kind?: '' | 'account' | 'site' | 'host';
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_DamageRow_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  growth_show: {
    parameters: {
      query: {
        /** @description the account, site or host */
        subject: string;
        /** @description which of them, where the name is shared */
        kind?: '' | 'account' | 'site' | 'host';
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Growth'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  overview: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Overview'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  openapi_document: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/vnd.oai.openapi+json;version=3.1': unknown;
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  reference: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'text/html': unknown;
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  kinds_list: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Kinds'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  runs_list: {
    parameters: {
      query?: {
        /** @description at most so many items */
        limit?: number;
        /** @description “next” of the page before */
        cursor?: string | null;
        /** @description a column's name, with “-” before it for backwards */
        sort?: string;
        /** @description only of this job */
        job?: string;
        /** @description only this outcome; “trouble” for all but done */
        outcome?:
          | ''
          | 'done'
          | 'warned'
          | 'partial'
          | 'failed'
          | 'cancelled'
          | 'interrupted'
          | 'skipped'
          | 'trouble';
        state?: '' | 'queued' | 'running' | 'ended';
        /** @description only with a task of this subject */
        subject?: string;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_Run_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  runs_show: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        run_id: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['RunDetail'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  runs_cancel: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        run_id: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      202: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['RunDetail'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  runs_log: {
    parameters: {
      query?: {
        /** @description at most so many items */
        limit?: number;
        /** @description “next” of the page before */
        cursor?: string | null;
        /** @description a column's name, with “-” before it for backwards */
        sort?: string;
        /** @description only this level; “trouble” for warnings and errors */
        level?: '' | 'info' | 'warning' | 'error' | 'trouble';
        /** @description only what holds these words */
        q?: string;
      };
      header?: never;
      path: {
        run_id: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_LogLine_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  runs_events: {
    parameters: {
      query?: {
        /** @description resume after this event id */
        last_id?: string;
      };
      header?: never;
      path: {
        run_id: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'text/event-stream': unknown;
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  live: {
    parameters: {
      query?: {
        /** @description resume after this event id */
        last_id?: string;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'text/event-stream': unknown;
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  search: {
    parameters: {
      query: {
        /** @description a part of the name */
        q: string;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_SearchHit_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  session_show: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Identity'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  session_open: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['SignIn'];
      };
    };
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Identity'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  session_close: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description done */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  password_change: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['Password'];
      };
    };
    responses: {
      /** @description done */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  tokens_list: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_Token_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  tokens_add: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['TokenNew'];
      };
    };
    responses: {
      /** @description the answer */
      201: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['TokenMade'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  tokens_remove: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description done */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  stores_list: {
    parameters: {
      query?: {
        /** @description at most so many items */
        limit?: number;
        /** @description “next” of the page before */
        cursor?: string | null;
        /** @description a column's name, with “-” before it for backwards */
        sort?: string;
        /** @description only what holds these words */
        q?: string;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_Store_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  stores_add: {
    parameters: {
      query?: {
        /** @description save it without trying; no job writes to it until it was tried */
        untried?: boolean;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['StoreInput'];
      };
    };
    responses: {
      /** @description the answer */
      201: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Store'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  stores_show: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Store'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  stores_change: {
    parameters: {
      query?: {
        /** @description save it without trying; no job writes to it until it was tried */
        untried?: boolean;
      };
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['StoreInput'];
      };
    };
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Store'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  stores_remove: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description done */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  stores_try_draft: {
    parameters: {
      query?: {
        /** @description the saved one, whose secrets are used */
        saved?: string;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['StoreInput'];
      };
    };
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['TryResult'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  stores_try: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['TryResult'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  stores_proposals: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_StoreProposal_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  stores_accept: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['ProposalChoice'];
      };
    };
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['AcceptedProposals'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  stores_dismiss: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['ProposalChoice'];
      };
    };
    responses: {
      /** @description done */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  stores_usage: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['StoreUsage'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  stores_claim: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Store'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  stores_access: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['StoreAccess'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  stores_connect: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['StoreAccess'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  stores_disconnect: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description done */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  uploads_start: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['UploadStart'];
      };
    };
    responses: {
      /** @description the answer */
      201: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Upload'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  uploads_show: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Upload'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  uploads_remove: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description done */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  uploads_add: {
    parameters: {
      query?: {
        file?: string;
        offset?: number;
        size?: number;
      };
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/octet-stream': string;
      };
    };
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['UploadReceived'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  uploads_finish: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      202: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['MaintenanceStarted'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  workers_list: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_FleetWorker_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  workers_code: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['WorkerCodeStart'];
      };
    };
    responses: {
      /** @description the answer */
      201: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['WorkerCode'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  workers_drain: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['WorkerDrain'];
      };
    };
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['FleetWorker'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  workers_remove: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description done */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  fleet_enrol: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        code: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/octet-stream': string;
      };
    };
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/octet-stream': unknown;
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  fleet_message: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        worker: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/octet-stream': string;
      };
    };
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/octet-stream': unknown;
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  bundles_list: {
    parameters: {
      query?: {
        /** @description at most so many items */
        limit?: number;
        /** @description “next” of the page before */
        cursor?: string | null;
        /** @description a column's name, with “-” before it for backwards */
        sort?: string;
        /** @description only what holds these words */
        q?: string;
        /** @description only of this subject */
        subject?: string;
        /** @description only of this kind of subject */
        kind?: '' | 'account' | 'site' | 'host';
        /** @description only of this job */
        job?: string;
        /** @description only with a copy here */
        store?: string;
        /** @description only of this time or before it */
        until?: string | null;
        /** @description only with this kind of contents */
        contents?: '' | 'files' | 'databases' | 'mail' | 'system' | 'notes';
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_Bundle_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  bundles_versions: {
    parameters: {
      query?: {
        /** @description parts of the path, as written there */
        q?: string;
        /** @description only of this subject */
        subject?: string;
        /** @description only of this kind of subject */
        kind?: '' | 'account' | 'site' | 'host';
        /** @description this kind; files by default */
        contents?: '' | 'files' | 'databases' | 'mail' | 'system' | 'notes';
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['VersionsFound'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  bundles_show: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        bundle_id: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['BundleDetail'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  bundles_instructions: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        bundle_id: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Instructions'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  bundles_pin: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        bundle_id: number;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['Pin'];
      };
    };
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['BundleDetail'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  bundles_unpin: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        bundle_id: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['BundleDetail'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  bundles_files: {
    parameters: {
      query?: {
        /** @description which kind of contents */
        contents?: '' | 'files' | 'databases' | 'mail' | 'system' | 'notes';
        /** @description path of the folder */
        folder?: string;
      };
      header?: never;
      path: {
        bundle_id: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['BundleFiles'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  bundles_tables: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        bundle_id: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_DatabaseTables_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  bundles_search: {
    parameters: {
      query?: {
        /** @description words in the path */
        q?: string;
        /** @description only this kind of contents */
        contents?: '' | 'files' | 'databases' | 'mail' | 'system' | 'notes';
      };
      header?: never;
      path: {
        bundle_id: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['EntrySearch'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  bundles_changes: {
    parameters: {
      query?: {
        /** @description at most so many items */
        limit?: number;
        /** @description “next” of the page before */
        cursor?: string | null;
        /** @description a column's name, with “-” before it for backwards */
        sort?: string;
        /** @description only what holds these words */
        q?: string;
        /** @description another bundle of the subject; the previous one when left out */
        against?: number | null;
        /** @description only this state */
        state?: '' | 'new' | 'changed' | 'gone';
        /** @description only this kind of contents */
        contents?: '' | 'files' | 'databases' | 'mail' | 'system' | 'notes';
      };
      header?: never;
      path: {
        bundle_id: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_BundleChange_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  bundles_table_changes: {
    parameters: {
      query?: {
        /** @description another bundle of the subject; the previous one when left out */
        against?: number | null;
      };
      header?: never;
      path: {
        bundle_id: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_TableChange_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  bundles_difference: {
    parameters: {
      query: {
        /** @description another bundle of the subject; the previous one when left out */
        against?: number | null;
        /** @description its path, as in the listing */
        file: string;
        /** @description its kind; files by default */
        contents?: '' | 'files' | 'databases' | 'mail' | 'system' | 'notes';
      };
      header?: never;
      path: {
        bundle_id: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['FileDifference'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  links_list: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_DownloadLink_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  links_make: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        bundle_id: number;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['DownloadLinkStart'];
      };
    };
    responses: {
      /** @description the answer */
      201: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['DownloadLinkMade'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  links_remove: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        link_id: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description done */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  bundles_download: {
    parameters: {
      query?: {
        /** @description sql: one database, or some of its tables, as one file */
        form?: 'tar.gz' | 'tar.zst' | 'zip' | 'sql';
        /** @description with sql: this database */
        database?: string;
        /** @description with sql: only this table; may be repeated */
        table?: string[];
        /** @description only this kind of contents */
        contents?: '' | 'files' | 'databases' | 'mail' | 'system' | 'notes';
        /** @description only at or below this path; may be repeated */
        path?: string[];
        /** @description the copy to read */
        store?: string;
      };
      header?: never;
      path: {
        bundle_id: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/gzip': unknown;
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  downloads_show: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        download_id: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['DownloadReport'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  drills_list: {
    parameters: {
      query?: {
        /** @description at most so many items */
        limit?: number;
        /** @description “next” of the page before */
        cursor?: string | null;
        /** @description a column's name, with “-” before it for backwards */
        sort?: string;
        /** @description only of this subject */
        subject?: string;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_Restore_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  drills_start: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['DrillStart'];
      };
    };
    responses: {
      /** @description the answer */
      202: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Started'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  drills_settings_show: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['DrillSettings'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  drills_settings_change: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['DrillSettings'];
      };
    };
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['DrillSettings'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  recoveries_list: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_Recovery_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  recoveries_start: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['RecoveryStart'];
      };
    };
    responses: {
      /** @description the answer */
      201: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Recovery'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  recoveries_show: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        number: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Recovery'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  recoveries_end: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        number: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Recovery'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  restores_list: {
    parameters: {
      query?: {
        /** @description at most so many items */
        limit?: number;
        /** @description “next” of the page before */
        cursor?: string | null;
        /** @description a column's name, with “-” before it for backwards */
        sort?: string;
        /** @description only of this subject */
        subject?: string;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_Restore_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  restores_start: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['RestoreStart'];
      };
    };
    responses: {
      /** @description the answer */
      202: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Started'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  restores_relocation: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['RelocationAsk'];
      };
    };
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['RelocationProposal'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  restores_show: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        restore_id: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Restore'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  restores_cancel: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        restore_id: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      202: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Restore'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  restores_log: {
    parameters: {
      query?: {
        /** @description at most so many items */
        limit?: number;
        /** @description “next” of the page before */
        cursor?: string | null;
        /** @description a column's name, with “-” before it for backwards */
        sort?: string;
        /** @description only this level; “trouble” for warnings and errors */
        level?: '' | 'info' | 'warning' | 'error' | 'trouble';
        /** @description only what holds these words */
        q?: string;
      };
      header?: never;
      path: {
        restore_id: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_LogLine_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  restores_plan: {
    parameters: {
      query?: {
        /** @description at most so many lines */
        limit?: number;
        /** @description “next” of the page before */
        cursor?: string | null;
        /** @description only lines of this action */
        action?: '' | 'create' | 'replace' | 'remove' | 'attributes' | 'keep';
      };
      header?: never;
      path: {
        restore_id: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_RestorePlanLine_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  restores_undo: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        restore_id: number;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['RestoreUndo'];
      };
    };
    responses: {
      /** @description the answer */
      202: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Started'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  restores_drop: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        restore_id: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      202: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Started'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  accounts_list: {
    parameters: {
      query?: {
        /** @description at most so many items */
        limit?: number;
        /** @description “next” of the page before */
        cursor?: string | null;
        /** @description a column's name, with “-” before it for backwards */
        sort?: string;
        /** @description only what holds these words */
        q?: string;
        /** @description only of this host */
        host?: string;
        /** @description only with this tag */
        tag?: string;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_Account_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  accounts_add: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['AccountInput'];
      };
    };
    responses: {
      /** @description the answer */
      201: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Account'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  accounts_show: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Account'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  accounts_change: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['AccountInput'];
      };
    };
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Account'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  accounts_remove: {
    parameters: {
      query?: {
        /** @description “remove” removes all copies of its and its sites' bundles first, except pinned ones */
        bundles?: '' | 'remove';
      };
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description done */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  sites_list: {
    parameters: {
      query?: {
        /** @description at most so many items */
        limit?: number;
        /** @description “next” of the page before */
        cursor?: string | null;
        /** @description a column's name, with “-” before it for backwards */
        sort?: string;
        /** @description only what holds these words */
        q?: string;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_SiteRow_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  hosts_find: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_Proposed_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  hosts_accept: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['Acceptance'];
      };
    };
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Accepted'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  hosts_unmatched: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Unmatched'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  previews_start: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['PreviewStart'];
      };
    };
    responses: {
      /** @description the answer */
      202: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Started'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  previews_show: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        preview_id: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Preview'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  previews_cancel: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        preview_id: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      202: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Preview'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  coverage_list: {
    parameters: {
      query?: {
        /** @description at most so many items */
        limit?: number;
        /** @description “next” of the page before */
        cursor?: string | null;
        /** @description a column's name, with “-” before it for backwards */
        sort?: string;
        /** @description only what holds these words */
        q?: string;
        /** @description only this state; “trouble” for all but protected */
        state?: '' | 'protected' | 'late' | 'never' | 'bare' | 'trouble';
        /** @description only of this host */
        host?: string;
        /** @description only of this account */
        account?: string;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_CoverageRow_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  hosts_list: {
    parameters: {
      query?: {
        /** @description at most so many items */
        limit?: number;
        /** @description “next” of the page before */
        cursor?: string | null;
        /** @description a column's name, with “-” before it for backwards */
        sort?: string;
        /** @description only what holds these words */
        q?: string;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_Host_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  hosts_add: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['HostInput'];
      };
    };
    responses: {
      /** @description the answer */
      201: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Host'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  hosts_show: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Host'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  hosts_change: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['HostInput'];
      };
    };
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Host'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  hosts_remove: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description done */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  hosts_try_draft: {
    parameters: {
      query?: {
        /** @description the saved one, whose secrets are used */
        saved?: string;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['HostInput'];
      };
    };
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['TryResult'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  hosts_propose: {
    parameters: {
      query?: {
        /** @description the saved one, whose secrets are used */
        saved?: string;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['HostInput'];
      };
    };
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['HostProposal'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  hosts_try: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['TryResult'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  calendar_show: {
    parameters: {
      query?: {
        /** @description how many days from now on */
        days?: number;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Calendar'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  calendar_feed: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['CalendarFeed'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  calendar_feed_make: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      201: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['CalendarFeed'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  calendar_feed_remove: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description done */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  changes_list: {
    parameters: {
      query?: {
        /** @description at most so many items */
        limit?: number;
        /** @description “next” of the page before */
        cursor?: string | null;
        /** @description a column's name, with “-” before it for backwards */
        sort?: string;
        /** @description only of this kind of thing */
        kind?: '' | 'job';
        /** @description only of the thing of this name */
        name?: string;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_SettingChange_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  jobs_retiring: {
    parameters: {
      query?: {
        /** @description as if this were the keep rule */
        keep?: string;
      };
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_Retiring_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  jobs_summary: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['JobInput'];
      };
    };
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['JobSummary'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  jobs_simulate: {
    parameters: {
      query?: {
        store?: string;
        subject?: string;
        day?: string | null;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['JobInput'];
      };
    };
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['JobSimulation'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  stores_simulate: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['StoreSimulation'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  jobs_list: {
    parameters: {
      query?: {
        /** @description only what holds these words */
        q?: string;
        /** @description “next” is the next start */
        sort?: 'name' | '-name' | 'next' | '-next';
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_Job_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  jobs_add: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['JobInput'];
      };
    };
    responses: {
      /** @description the answer */
      201: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Job'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  job_defaults: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['JobDefaults'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  jobs_show: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Job'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  jobs_change: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['JobInput'];
      };
    };
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Job'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  jobs_remove: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description done */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  jobs_copy: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['JobCopy'];
      };
    };
    responses: {
      /** @description the answer */
      201: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Job'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  jobs_revert: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
        change: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Job'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  jobs_start: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['JobStart'];
      };
    };
    responses: {
      /** @description the answer */
      202: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Started'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  pauses_list: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_Pause_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  pauses_set: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['PauseInput'];
      };
    };
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_Pause_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  pauses_lift: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description done */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  jobs_pause: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['PauseInput'];
      };
    };
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_Pause_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  jobs_resume: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description done */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  jobs_address: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['StartAddress'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  jobs_address_change: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['StartAddressInput'];
      };
    };
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['StartAddress'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  jobs_address_make: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['StartAddressInput'];
      };
    };
    responses: {
      /** @description the answer */
      201: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['StartAddressMade'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  jobs_address_remove: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description done */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  alerts_list: {
    parameters: {
      query?: {
        /** @description at most so many items */
        limit?: number;
        /** @description “next” of the page before */
        cursor?: string | null;
        /** @description a column's name, with “-” before it for backwards */
        sort?: string;
        /** @description only these */
        state?: '' | 'open' | 'closed';
        /** @description only of this job */
        job?: string;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_Alert_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  alerts_acknowledge: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        alert: number;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['Acknowledgement'];
      };
    };
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Alert'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  watch_show: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['WatchSettings'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  watch_change: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['WatchSettings'];
      };
    };
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['WatchSettings'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  channels_list: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_Channel_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  channels_save: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['ChannelInput'];
      };
    };
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_Channel_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  channels_remove: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description done */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  channels_try: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['ChannelAnswer'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  messages_show: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        kind: string;
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'text/html': unknown;
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  reports_list: {
    parameters: {
      query?: {
        /** @description at most so many items */
        limit?: number;
        /** @description “next” of the page before */
        cursor?: string | null;
        /** @description a column's name, with “-” before it for backwards */
        sort?: string;
        /** @description only what holds these words */
        q?: string;
        /** @description only of this job */
        job?: string;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_Report_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  reports_show: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        report_id: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['ReportDetail'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  jobs_report: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['ReportPreview'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  jobs_report_try: {
    parameters: {
      query: {
        /** @description who gets it */
        to: string;
      };
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['TryResult'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  outbox_list: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_OutboxItem_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  outbox_send: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      202: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_OutboxItem_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  outbox_remove: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        report_id: number;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description done */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  mail_show: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['MailServer'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  mail_change: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['MailServer'];
      };
    };
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['MailServer'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  mail_try: {
    parameters: {
      query: {
        /** @description who gets it */
        to: string;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['TryResult'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  templates_list: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Page_Template_'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  templates_show: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Template'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  templates_change: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['TemplateText'];
      };
    };
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Template'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  templates_preview: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description the answer */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['ReportPreview'];
        };
      };
      /** @description a problem */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  health: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description all is well */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      /** @description something does not work */
      503: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
    };
  };
}
