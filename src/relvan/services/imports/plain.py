"""Rehearses the rows of files that say plain facts of one product each, a block of rows at a time."""

from collections.abc import Callable, Collection, Mapping, Sequence

from relvan.core.catalogue.keyed import Keyed
from relvan.core.catalogue.plain import Standing
from relvan.core.imports.blocks import Block, Row
from relvan.core.imports.columns import FileKind
from relvan.core.imports.plain import gtins_of, is_plain_file, judge_plain, keys_of, repeated
from relvan.core.imports.things import Options
from relvan.services.workplace import Workplace
from relvan.store.blocks import add_block
from relvan.store.facts import owners_of_gtins
from relvan.store.imports import price_list_ids
from relvan.store.plain import aliases_among, any_alias, standing
from relvan.store.session import Session


def can_be_plain(workplace: Workplace, kind: FileKind, blocks: Sequence[Block]) -> bool:
    """Says whether the columns of a file hold only plain facts, on price lists that exist."""
    if not blocks or not is_plain_file(kind, blocks[0].columns):
        return False
    with workplace.database.reading() as session:
        lists = price_list_ids(session)
    priced = (Keyed.PRICE.key(name) for name in blocks[0].columns if Keyed.PRICE.has(name))
    return all(key in lists for key in priced)


def rehearse_plain(
    workplace: Workplace,
    job_id: int,
    blocks: Sequence[Block],
    options: Options,
    tell: Callable[[int], None],
) -> list[Row]:
    """Writes the verdicts of rows that are surely right; returns the rows that are to be judged one
    by one."""
    aliases: dict[str, str] = {}
    keyed = [(keys_of(block), block) for block in blocks]
    with workplace.database.reading() as session:
        some = keyed if any_alias(session) else ()
    for keys, _ in some:
        with workplace.database.reading() as session:
            aliases |= aliases_among(session, keys)
    twice = repeated(keyed, aliases)
    left: list[Row] = []
    for keys, block in keyed:
        with workplace.database.reading() as session:
            known, taken = _around(session, keys, block)
        judged = judge_plain(block, keys, known, taken, twice, options)
        with workplace.database.writing(hurried=True) as session:
            for verdict, rows in judged.clear.items():
                add_block(session, job_id, verdict, rows)
        left += map(block.row, judged.others)
        tell(len(block.positions))
    return left


def _around(
    session: Session, keys: Sequence[str], block: Block
) -> tuple[Mapping[str, Standing], Collection[str]]:
    """Returns the present facts of the products of a block, and which of its GTINs are taken."""
    names = [name for name in block.columns if name != "sku"]
    gtins = {*gtins_of(block)} - {""}
    return standing(session, keys, names, price_list_ids(session)), owners_of_gtins(
        session, gtins
    ).keys()
