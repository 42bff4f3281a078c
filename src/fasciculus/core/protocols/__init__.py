"""Answers of servers, parsed: FTP listings, WebDAV."""
