"""What is kept: PostgreSQL through SQLAlchemy, migrations through Alembic."""
