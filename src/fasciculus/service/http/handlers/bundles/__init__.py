"""Operations on bundles and restores."""
