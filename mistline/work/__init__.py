"""The job queue and the use cases: everything that takes time happens here, in worker child processes."""
