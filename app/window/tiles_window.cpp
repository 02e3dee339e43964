#include "app/window/tiles_window.h"

#include "app/model/words.h"
#include "app/window/settings.h"
#include "app/window/tile_map.h"
#include "core/formats/exporter.h"

#include <QComboBox>
#include <QCoreApplication>
#include <QDir>
#include <QDoubleSpinBox>
#include <QFile>
#include <QFileDialog>
#include <QFileInfo>
#include <QGridLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QLocale>
#include <QProcess>
#include <QPushButton>
#include <QSpinBox>
#include <QThread>
#include <QTimer>
#include <QTreeWidget>

#include <algorithm>

namespace arvesk {
namespace {

constexpr int kLookEvery = 700;  // ms

QString errorsIn(const QString& folder) {
  QFile file(folder + QStringLiteral("/jobs/errors.txt"));
  if (!file.open(QIODevice::ReadOnly)) return {};
  constexpr qint64 kMost = 4096;
  file.seek(std::max<qint64>(0, file.size() - kMost));
  const QList<QByteArray> lines = file.readAll().trimmed().split('\n');
  return QString::fromUtf8(lines.back());
}

bool isThere(long process) {
  QFile file(QStringLiteral("/proc/%1/comm").arg(process));
  return process > 0 && file.open(QIODevice::ReadOnly) && file.readAll().startsWith("arvesk-run");
}

}  // namespace

TilesWindow::TilesWindow(const QString& file, std::function<QString()> saved, QWidget* parent)
    : QDialog(parent),
      m_saved(std::move(saved)),
      m_plan(file),
      m_folder(new QLineEdit(this)),
      m_size(new QDoubleSpinBox(this)),
      m_format(new QComboBox(this)),
      m_on(new QComboBox(this)),
      m_jobs(new QSpinBox(this)),
      m_jobsWords(new QLabel(this)),
      m_partition(new QLineEdit(this)),
      m_partitionWords(new QLabel(tr("Partition"), this)),
      m_send(new QPushButton(tr("Send"), this)),
      m_stop(new QPushButton(tr("Stop"), this)),
      m_message(new QLabel(this)),
      m_map(new TileMap(this)),
      m_failed(new QTreeWidget(this)),
      m_timer(new QTimer(this)) {
  setObjectName(QStringLiteral("tiles_window"));
  setWindowTitle(tr("Tiles"));
  setAttribute(Qt::WA_DeleteOnClose);
  resize(920, 540);
  m_folder->setObjectName(QStringLiteral("tiles_folder"));
  m_folder->setAccessibleName(tr("Folder for the tiles"));
  const QString remembered = file.isEmpty() ? QString() : Settings().tilesFolder(file);
  const QFileInfo info(file);
  m_folder->setText(!remembered.isEmpty() ? remembered
                    : file.isEmpty()      ? QDir::home().filePath(tr("tiles"))
                                          : info.dir().filePath(tr("%1-tiles").arg(info.completeBaseName())));
  m_size->setObjectName(QStringLiteral("tiles_size"));
  m_size->setAccessibleName(tr("Side of a tile"));
  m_size->setRange(0.1, 1e6);
  m_size->setDecimals(1);
  m_size->setValue(256);
  m_size->setSuffix(QStringLiteral(" m"));
  m_format->setObjectName(QStringLiteral("tiles_format"));
  m_format->setAccessibleName(tr("Format"));
  for (const ExportFormat& f : exportFormats())
    if (std::string_view(f.ending) != ".vdb") m_format->addItem(said(f.name), QString::fromLatin1(f.ending + 1));
  m_format->setCurrentIndex(std::max(0, m_format->findData(QStringLiteral("usda"))));
  m_on->setObjectName(QStringLiteral("tiles_on"));
  m_on->setAccessibleName(tr("Worked out by"));
  m_on->addItems({tr("Processes of this machine"), tr("Slurm, as job arrays")});
  m_jobs->setObjectName(QStringLiteral("tiles_jobs"));
  m_jobs->setRange(1, 1000);
  m_jobs->setValue(std::max(1, QThread::idealThreadCount() / 2));
  for (QAbstractSpinBox* box : std::initializer_list<QAbstractSpinBox*>{m_size, m_jobs})
    box->setButtonSymbols(QAbstractSpinBox::NoButtons);
  m_partition->setObjectName(QStringLiteral("tiles_partition"));
  m_partition->setAccessibleName(tr("Partition"));
  m_partition->setPlaceholderText(tr("the engine's usual one"));
  m_send->setObjectName(QStringLiteral("tiles_send"));
  m_send->setDefault(true);
  m_stop->setObjectName(QStringLiteral("tiles_stop"));
  m_message->setObjectName(QStringLiteral("tiles_message"));
  m_message->setWordWrap(true);
  m_failed->setObjectName(QStringLiteral("tiles_failed"));
  m_failed->setAccessibleName(tr("Tiles that failed"));
  m_failed->setColumnCount(2);
  m_failed->setHeaderLabels({tr("Why they failed"), tr("Tiles")});
  m_failed->setRootIsDecorated(false);
  m_failed->header()->setStretchLastSection(false);
  m_failed->header()->setSectionResizeMode(0, QHeaderView::Stretch);
  m_failed->header()->setSectionResizeMode(1, QHeaderView::ResizeToContents);
  m_failed->setFrameShape(QFrame::NoFrame);
  m_failed->hide();

  auto* choose = new QPushButton(tr("Choose…"), this);
  auto* across = new QHBoxLayout(this);
  across->setContentsMargins(16, 16, 16, 16);
  across->setSpacing(16);
  across->addLayout(makeForm(choose), 2);
  across->addWidget(m_map, 3);

  connect(choose, &QPushButton::clicked, this, [this] {
    const QString folder = QFileDialog::getExistingDirectory(this, tr("Folder for the tiles"), m_folder->text());
    if (!folder.isEmpty()) m_folder->setText(folder);
  });
  connect(m_folder, &QLineEdit::textChanged, this, [this] {
    m_states.reset();
    look();
  });
  connect(m_on, &QComboBox::currentIndexChanged, this, [this] {
    constexpr int kUsualArray = 64;
    m_jobs->setValue(isSlurm() ? kUsualArray : std::max(1, QThread::idealThreadCount() / 2));
    showOptions();
  });
  connect(m_send, &QPushButton::clicked, this, &TilesWindow::send);
  connect(m_stop, &QPushButton::clicked, this, &TilesWindow::stop);
  connect(m_timer, &QTimer::timeout, this, &TilesWindow::look);
  m_timer->start(kLookEvery);
  showOptions();
  take({});
  look();
}

QLayout* TilesWindow::makeForm(QPushButton* choose) {
  auto* grid = new QGridLayout;
  grid->setVerticalSpacing(8);
  int row = 0;
  const auto section = [&](const QString& words) {
    auto* head = new QLabel(words, this);
    head->setProperty("role", QStringLiteral("section"));
    grid->addWidget(head, row++, 0, 1, 3);
  };
  const auto line = [&](QLabel* words, QWidget* field) {
    grid->addWidget(words, row, 0);
    grid->addWidget(field, row++, 1, 1, 2);
  };
  section(tr("Outputs in squares, at final quality"));
  grid->addWidget(new QLabel(tr("Folder"), this), row, 0);
  grid->addWidget(m_folder, row, 1);
  grid->addWidget(choose, row++, 2);
  line(new QLabel(tr("Side of a tile"), this), m_size);
  line(new QLabel(tr("Format"), this), m_format);
  section(tr("Worked out by"));
  grid->addWidget(m_on, row++, 0, 1, 3);
  line(m_jobsWords, m_jobs);
  line(m_partitionWords, m_partition);
  auto* help = new QLabel(
      tr("The plan is saved first. Whoever works goes on when this window is closed; tiles that are "
         "done stay."),
      this);
  help->setProperty("role", QStringLiteral("quiet"));
  help->setWordWrap(true);
  grid->addWidget(help, row++, 0, 1, 3);
  grid->addWidget(m_message, row++, 0, 1, 3);
  grid->addWidget(m_failed, row, 0, 1, 3);
  grid->setRowStretch(row++, 1);
  auto* close = new QPushButton(tr("Close"), this);
  close->setObjectName(QStringLiteral("tiles_close"));
  connect(close, &QPushButton::clicked, this, &QDialog::close);
  auto* buttons = new QHBoxLayout;
  buttons->setSpacing(8);
  buttons->addStretch(1);
  for (QPushButton* button : {m_send, m_stop, close}) buttons->addWidget(button);
  grid->addLayout(buttons, row, 0, 1, 3);
  grid->setColumnStretch(1, 1);
  return grid;
}

bool TilesWindow::isSlurm() const { return m_on->currentIndex() == 1; }

void TilesWindow::showOptions() {
  m_jobsWords->setText(isSlurm() ? tr("Jobs of an array") : tr("At once"));
  m_jobs->setAccessibleName(m_jobsWords->text());
  m_partition->setVisible(isSlurm());
  m_partitionWords->setVisible(isSlurm());
}

void TilesWindow::send() {
  m_plan = m_saved();
  if (m_plan.isEmpty()) {
    m_message->setText(tr("The plan has to be saved first: those who work tiles out read its file."));
    return;
  }
  const QString folder = m_folder->text();
  if (folder.isEmpty() || !QDir().mkpath(folder + QStringLiteral("/jobs"))) {
    m_message->setText(tr("This folder cannot be made: %1").arg(QDir::toNativeSeparators(folder)));
    return;
  }
  Settings().setTilesFolder(m_plan, folder);
  QStringList words{QStringLiteral("tiles"),    m_plan,
                    QStringLiteral("--size"),   QString::number(m_size->value()),
                    QStringLiteral("--to"),     folder,
                    QStringLiteral("--format"), m_format->currentData().toString(),
                    QStringLiteral("--jobs"),   QString::number(m_jobs->value()),
                    QStringLiteral("--on"),     isSlurm() ? QStringLiteral("slurm") : QStringLiteral("local")};
  if (isSlurm() && !m_partition->text().isEmpty()) words << QStringLiteral("--partition") << m_partition->text();
  QProcess process;
  process.setProgram(QCoreApplication::applicationDirPath() + QStringLiteral("/arvesk-run"));
  process.setArguments(words);
  process.setStandardOutputFile(folder + QStringLiteral("/jobs/words.txt"));
  process.setStandardErrorFile(folder + QStringLiteral("/jobs/errors.txt"));
  qint64 id = 0;
  if (!process.startDetached(&id)) {
    m_message->setText(tr("It could not be started: %1").arg(process.program()));
    return;
  }
  m_process = static_cast<long>(id);
  m_isUnderWay = true;
  m_send->setEnabled(false);
  m_message->setText(tr("Sent."));
  look();
}

void TilesWindow::stop() {
  SentTiles sent = m_states ? m_states->sent : SentTiles();
  if (isThere(m_process)) sent.process = m_process;
  m_worker.ask([sent](const Task&) {
    stopSending(sent);
    return [] {};
  });
  look();
}

void TilesWindow::look() {
  if (m_worker.isBusy()) return;
  m_worker.ask([this, folder = m_folder->text(), process = m_process, before = m_states](const Task&) {
    Seen seen;
    seen.states = tileStates(folder.toStdString(), before ? *before : TileStates());
    seen.isUnderWay = isThere(process) || (seen.states && seen.states->isUnderWay);
    if (!seen.isUnderWay) seen.words = errorsIn(folder);
    return [this, folder, seen = std::move(seen)]() mutable {
      if (folder == m_folder->text()) take(std::move(seen));
    };
  });
}

void TilesWindow::take(Seen seen) {
  m_isUnderWay = seen.isUnderWay;
  // What stands there is gone on with, not made anew in squares of another size.
  if (seen.states && !m_states) {
    const SentTiles& sent = seen.states->sent;
    m_size->setValue(sent.grid.size);
    if (const int at = m_format->findData(text(sent.ending).mid(1)); at >= 0) m_format->setCurrentIndex(at);
    m_on->setCurrentIndex(sent.jobs.empty() ? 0 : 1);
  }
  m_states = seen.states ? std::make_shared<const TileStates>(std::move(*seen.states)) : nullptr;
  m_map->show(m_states);
  m_send->setEnabled(!m_isUnderWay);
  m_stop->setEnabled(m_isUnderWay);
  QStringList words;
  if (m_states) {
    const auto number = [](std::size_t n) { return QLocale().toString(static_cast<qulonglong>(n)); };
    using State = TileStates::State;
    const std::size_t over = m_states->countOf(State::Done) + m_states->countOf(State::Empty);
    words << tr("%1 of %2 tiles are done, with %3 placements.")
                 .arg(number(over), number(m_states->tiles.size()), number(m_states->placements));
    if (const std::size_t failed = m_states->countOf(State::Failed); failed > 0)
      words << tr("%1 failed.").arg(number(failed));
    const std::size_t left = m_states->countOf(State::Waiting) + m_states->countOf(State::Stale);
    if (!m_isUnderWay && left > 0) words << tr("Nobody works on the others: Send goes on.");
  } else if (m_isUnderWay) {
    words << tr("Reading the plan and its grounds…");
  }
  if (!m_isUnderWay && !seen.words.isEmpty()) words << seen.words;
  m_message->setText(words.join(QLatin1Char(' ')));
  listFailed();
}

/// By message: a cause that many share is one line.
void TilesWindow::listFailed() {
  std::map<std::string, std::vector<std::string>> byCause;
  for (std::size_t t = 0; m_states && t < m_states->tiles.size(); ++t) {
    const TileStates::Tile& tile = m_states->tiles[t];
    if (tile.state != TileStates::State::Failed) continue;
    byCause[tile.record.problems.empty() ? std::string() : tile.record.problems.front()].push_back(tile.record.name);
  }
  m_failed->setVisible(!byCause.empty());
  if (m_failed->topLevelItemCount() == static_cast<int>(byCause.size()) && byCause.empty()) return;
  m_failed->clear();
  for (const auto& [cause, names] : byCause) {
    auto* item = new QTreeWidgetItem({text(cause), QLocale().toString(static_cast<qulonglong>(names.size()))});
    item->setToolTip(0, text(cause));
    constexpr std::size_t kMost = 40;
    QStringList some;
    for (std::size_t i = 0; i < std::min(kMost, names.size()); ++i) some << text(names[i]);
    item->setToolTip(1, some.join(QStringLiteral(", ")) + (names.size() > kMost ? QStringLiteral(" …") : QString()));
    m_failed->addTopLevelItem(item);
  }
}

}  // namespace arvesk
