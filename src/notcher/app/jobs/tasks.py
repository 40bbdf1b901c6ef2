"""All tasks of one window."""

from PyQt6.QtCore import QObject

from notcher.app.jobs.exporting import Exporting
from notcher.app.jobs.giving import Giving
from notcher.app.jobs.measuring import Measuring
from notcher.app.jobs.opening import Opening
from notcher.app.jobs.recording import RecordingTask
from notcher.app.jobs.runner import Ask, Runner
from notcher.app.jobs.saving import Saving
from notcher.app.jobs.scores import Scores
from notcher.app.shell.messages import MessageBar
from notcher.app.shell.work_bar import WorkBar
from notcher.app.state.desk import Desk


class Tasks(QObject):
    """Opening, saving, measuring, exporting; they share one runner, so that one thing is under way at a time."""

    def __init__(self, desk: Desk, messages: MessageBar, work_bar: WorkBar, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.runner = Runner(desk, messages, work_bar, self)
        self.saving = Saving(self.runner)
        self.recording = RecordingTask(self.runner)
        self.measuring = Measuring(self.runner)
        self.opening = Opening(self.runner, self.recording, self.measuring, self.saving)
        self.exporting = Exporting(self.runner)
        self.giving = Giving(self.runner)

    @property
    def scores(self) -> Scores:
        """Scores from elsewhere."""
        return self.opening.scores

    @property
    def ask(self) -> Ask:
        """How files are asked for."""
        return self.runner.ask

    @property
    def busy(self) -> bool:
        """Whether something is under way."""
        return self.runner.busy

    def wait(self) -> None:
        """Stop, and wait until every thread has ended."""
        self.runner.wait()
