"""Bringing pictures in and keeping them: uploads, archives, watched folders, the bin, backups, the doctor."""
