"""Accounts, their sign-ins, links, tokens, and the trail of what was done"""

from alembic import op

revision = "0043"
down_revision = "0042"

OF_ACCOUNT = "FOREIGN KEY (account_id) REFERENCES account (id) ON DELETE CASCADE"


def upgrade() -> None:
    run = op.get_bind().exec_driver_sql
    run(
        "CREATE TABLE IF NOT EXISTS account (id INTEGER NOT NULL AUTO_INCREMENT, name VARCHAR(60) NOT NULL, "
        "role VARCHAR(10) NOT NULL, password VARCHAR(200), second_secret VARCHAR(64), "
        "second_counter INTEGER NOT NULL DEFAULT 0, pin VARCHAR(200), badge_sha VARCHAR(64), "
        "away BOOL NOT NULL DEFAULT 0, demo BOOL NOT NULL DEFAULT 0, made_at DATETIME(6) NOT NULL, "
        "version INTEGER NOT NULL, CONSTRAINT pk_account PRIMARY KEY (id), CONSTRAINT uq_account_name UNIQUE (name), "
        "CONSTRAINT uq_account_badge_sha UNIQUE (badge_sha))"
    )
    run(
        "CREATE TABLE IF NOT EXISTS sign_in (id INTEGER NOT NULL AUTO_INCREMENT, token_sha VARCHAR(64) NOT NULL, "
        "account_id INTEGER NOT NULL, way VARCHAR(10) NOT NULL, shared BOOL NOT NULL DEFAULT 0, "
        "address VARCHAR(45) NOT NULL, program VARCHAR(200) NOT NULL, made_at DATETIME(6) NOT NULL, "
        "seen_at DATETIME(6) NOT NULL, CONSTRAINT pk_sign_in PRIMARY KEY (id), "
        "CONSTRAINT uq_sign_in_token_sha UNIQUE (token_sha), "
        f"CONSTRAINT fk_sign_in_account_id_account {OF_ACCOUNT})"
    )
    run(
        "CREATE TABLE IF NOT EXISTS sign_in_link (id INTEGER NOT NULL AUTO_INCREMENT, token_sha VARCHAR(64) NOT NULL, "
        "account_id INTEGER, made_at DATETIME(6) NOT NULL, expires_at DATETIME(6) NOT NULL, "
        "CONSTRAINT pk_sign_in_link PRIMARY KEY (id), CONSTRAINT uq_sign_in_link_token_sha UNIQUE (token_sha), "
        f"CONSTRAINT fk_sign_in_link_account_id_account {OF_ACCOUNT})"
    )
    run(
        "CREATE TABLE IF NOT EXISTS shop_token (id INTEGER NOT NULL AUTO_INCREMENT, name VARCHAR(60) NOT NULL, "
        "token_sha VARCHAR(64) NOT NULL, rights VARCHAR(200) NOT NULL, made_by VARCHAR(120) NOT NULL, "
        "made_at DATETIME(6) NOT NULL, expires_at DATETIME(6) NOT NULL, seen_at DATETIME(6), "
        "CONSTRAINT pk_shop_token PRIMARY KEY (id), CONSTRAINT uq_shop_token_token_sha UNIQUE (token_sha))"
    )
    run(
        "CREATE TABLE IF NOT EXISTS sign_in_failure (`key` VARCHAR(64) NOT NULL, count INTEGER NOT NULL, "
        "last_at DATETIME(6) NOT NULL, CONSTRAINT pk_sign_in_failure PRIMARY KEY (`key`))"
    )
    run(
        "CREATE TABLE IF NOT EXISTS audit_entry (id INTEGER NOT NULL AUTO_INCREMENT, at DATETIME(6) NOT NULL, "
        "who VARCHAR(120) NOT NULL, way VARCHAR(80) NOT NULL, did VARCHAR(80) NOT NULL, what VARCHAR(200) NOT NULL, "
        "outcome VARCHAR(10) NOT NULL, address VARCHAR(45) NOT NULL, CONSTRAINT pk_audit_entry PRIMARY KEY (id), "
        "INDEX ix_audit_entry_at (at), INDEX ix_audit_entry_who (who))"
    )
