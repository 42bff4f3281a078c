"""Operations on alerts, reports and where they go."""
