"""The computation of the job: numpy in, numpy and dataclasses out; no web, no SQL, no global state."""
