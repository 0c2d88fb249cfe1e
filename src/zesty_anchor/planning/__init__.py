"""What is wanted, compared with what is there: decides. It writes nothing and needs no privilege."""
