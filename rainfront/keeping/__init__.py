"""What keeps a shop's data: backups and their test, erasing by age, tidying, the doctor, the health address."""
