"""Operations on hosts and accounts."""
