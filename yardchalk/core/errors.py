"""Errors that can be put before a person as they are."""


class YardError(Exception):
    """Something that a person has to know: what was wrong, with which thing, and what to do.

    Parameters
    ----------
    what : str
        What is wrong, in one clause, without the name of the thing.
    where : str
        The file, photo or setting that it is about.
    remedy : str
        What to do now.
    """

    def __init__(self, what: str, *, where: str = "", remedy: str = "") -> None:
        self.what, self.where, self.remedy = what, where, remedy
        super().__init__(self.message)

    @property
    def message(self) -> str:
        head = f"{self.where}: {self.what}" if self.where else self.what
        return f"{head}. {self.remedy}" if self.remedy else f"{head}."


class UnreadablePhoto(YardError):
    """The file is no photo that can be read: broken, cut short, too large, or not a picture at all."""


class BadSettings(YardError):
    """A run sheet, listing spec or marks file does not hold what it must."""


class UnusableSample(YardError):
    """The place that was touched cannot tell what it was touched for."""


class NotThere(YardError):
    """What was asked for does not exist, or no longer."""
