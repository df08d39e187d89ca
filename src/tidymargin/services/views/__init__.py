"""What is shown of a sheet, and written of it; nothing here changes one."""
