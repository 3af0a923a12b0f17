"""Options that depend on one another: what would be said in vain is refused, not overlooked."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import click

from vexo.core.wording import one_of


class Beside(click.Option):
    """An option that counts beside some others alone, or never beside some.

    Args:
        only_with: names of parameters of which one at least is to be said with it.
        not_with: names of parameters of which none may be said with it.
    """

    def __init__(
        self, *arguments: Any, only_with: Sequence[str] = (), not_with: Sequence[str] = (), **options: Any
    ) -> None:
        super().__init__(*arguments, **options)
        self.only_with, self.not_with = tuple(only_with), tuple(not_with)

    def handle_parse_result(
        self, ctx: click.Context, opts: Mapping[str, Any], args: list[str]
    ) -> tuple[Any, list[str]]:
        """Raises UsageError where it is said in vain, or beside what it does not go with."""
        params = {param.name: param for param in ctx.command.params}
        said = {name for name, param in params.items() if _is_said(param, opts)}
        if self.name in said:
            if self.only_with and not said & set(self.only_with):
                others = [_word(params[name]) for name in self.only_with]
                raise click.UsageError(f"{_word(self)} goes with {one_of(others)}.")
            beside = [_word(params[name]) for name in self.not_with if name in said]
            if beside:
                raise click.UsageError(f"{_word(self)} does not go with {one_of(beside)}.")
        return super().handle_parse_result(ctx, opts, args)


def _is_said(param: click.Parameter, opts: Mapping[str, Any]) -> bool:
    # An argument is among what was parsed whether it was said or not.
    return param.name in opts and (isinstance(param, click.Option) or isinstance(opts[param.name], str | list | tuple))


def _word(param: click.Parameter) -> str:
    """A parameter as it is typed."""
    return max(param.opts, key=len) if isinstance(param, click.Option) else str(param.name).upper()


def refuse_twice(what: str, said: Mapping[str, Iterable[str]]) -> None:
    """Raises PlainError where the same thing is said by two options, or twice by one: only the last would count.

    Args:
        what: what they say something of, in the singular.
        said: option → the names that it was said of.
    """
    from vexo.server.errors import PlainError

    by_name: dict[str, list[str]] = {}
    for option, names in said.items():
        for name in names:
            by_name.setdefault(name, []).append(option)
    for name, options in by_name.items():
        if len(options) > 1:
            often = Counter(options)
            words = " and ".join(f"{option} twice" if count > 1 else option for option, count in often.items())
            raise PlainError(f"Of the {what} {name!r} something is said by {words}. Say one of them.")
