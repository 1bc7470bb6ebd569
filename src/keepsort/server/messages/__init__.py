"""What people and programs are told: by mail, and by signed calls over HTTP."""
