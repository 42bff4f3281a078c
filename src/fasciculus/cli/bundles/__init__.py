"""Commands on bundles: listing, browsing, downloading, restoring."""
