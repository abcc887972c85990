"""What a surface measures, in the words and grades of those who inspect one."""
