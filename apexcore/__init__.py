"""The rules of the job and all computation of Apex Trim. Imports no Django and keeps no state."""
