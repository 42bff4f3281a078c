"""Operations on jobs and their starts."""
