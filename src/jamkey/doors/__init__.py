"""Where users come in: the commands, one file each. No logic of the job."""
