"""The ``fasciculus`` command, on the client library.

Exit codes:

====  =============================================================
0     done (also with warnings)
1     a run or restore ended in trouble: failed, incomplete, interrupted
2     wrong use, or a value that cannot be used
3     the service does not answer
4     not signed in
5     there is no such thing
6     the service refused
7     cancelled
====  =============================================================
"""
