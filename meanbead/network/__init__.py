"""What serving to a network needs: this machine's names and addresses, certificates, secrets on disk."""
