#include "app/window/missing_window.h"

#include "app/model/found_files.h"
#include "app/model/words.h"
#include "app/window/theme.h"

#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLocale>
#include <QPushButton>
#include <QTreeWidget>
#include <QVBoxLayout>

namespace arvesk {
namespace {

/// "A, B and 3 more".
QString some(const std::vector<std::string>& names) {
  constexpr std::size_t kMost = 3;
  QStringList out;
  for (std::size_t i = 0; i < std::min(kMost, names.size()); ++i) out.push_back(text(names[i]));
  const QString list = out.join(QStringLiteral(", "));
  return names.size() <= kMost ? list : MissingWindow::tr("%1 and %2 more").arg(list).arg(names.size() - kMost);
}

QString costOf(const UnreadFile& file) {
  QStringList out;
  if (file.placements > 0)
    out.push_back(MissingWindow::tr("%1 placements").arg(QLocale().toString(static_cast<qulonglong>(file.placements))));
  if (!file.waiting.empty()) out.push_back(MissingWindow::tr("waiting: %1").arg(some(file.waiting)));
  return out.isEmpty() ? (file.folder.empty() ? MissingWindow::tr("nothing yet") : MissingWindow::tr("left out"))
                       : out.join(QStringLiteral("; "));
}

}  // namespace

MissingWindow::MissingWindow(PlanModel* model, QWidget* parent)
    : QDialog(parent),
      m_model(model),
      m_words(new QLabel(this)),
      m_list(new QTreeWidget(this)),
      m_message(new QLabel(this)),
      m_find(new QPushButton(tr("Find…"), this)),
      m_below(new QPushButton(tr("Look in a folder…"), this)),
      m_allow(new QPushButton(tr("Allow its folder"), this)) {
  setObjectName(QStringLiteral("missing_window"));
  setWindowTitle(tr("Missing files"));
  resize(820, 340);
  m_words->setWordWrap(true);
  m_words->setObjectName(QStringLiteral("missing_words"));
  m_list->setObjectName(QStringLiteral("missing_list"));
  m_list->setAccessibleName(tr("Files that could not be read"));
  m_list->setRootIsDecorated(false);
  m_list->setColumnCount(4);
  m_list->setHeaderLabels({tr("File"), tr("What is wrong"), tr("Needed by"), tr("What it costs")});
  m_list->header()->setStretchLastSection(true);
  m_message->setObjectName(QStringLiteral("missing_message"));
  m_message->hide();  // until there is something to say
  m_message->setWordWrap(true);
  m_find->setObjectName(QStringLiteral("missing_find"));
  m_below->setObjectName(QStringLiteral("missing_below"));
  m_below->setToolTip(tr("Looks for all of them by name, in the folder and below it"));
  auto* again = new QPushButton(tr("Try again"), this);
  again->setObjectName(QStringLiteral("missing_again"));
  auto* close = new QPushButton(tr("Close"), this);
  close->setObjectName(QStringLiteral("missing_close"));
  auto* row = new QHBoxLayout;
  row->addWidget(m_find);
  row->addWidget(m_below);
  m_allow->setObjectName(QStringLiteral("missing_allow"));
  m_allow->setToolTip(tr("Lets the plan's files read what lies in that folder and below it; remembered for this plan"));
  row->addWidget(m_allow);
  row->addWidget(again);
  row->addStretch(1);
  row->addWidget(close);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(16, 16, 16, 16);
  column->setSpacing(10);
  column->addWidget(m_words);
  column->addWidget(m_list, 1);
  column->addWidget(m_message);
  column->addLayout(row);
  connect(close, &QPushButton::clicked, this, &QDialog::close);
  connect(again, &QPushButton::clicked, this, &MissingWindow::tryAgainWanted);
  const auto ask = [this] {
    const UnreadFile* file = current();
    if (!file || !file->folder.empty()) return;
    const std::string path = file->path;
    const QString name = QFileInfo(text(path)).fileName();
    const QString found = QFileDialog::getOpenFileName(this, tr("Find %1").arg(name), m_folder,
                                                       tr("%1 (%1);;All files (*)").arg(name));
    if (!found.isEmpty()) findAgain(path, found);
  };
  connect(m_find, &QPushButton::clicked, this, ask);
  connect(m_list, &QTreeWidget::itemDoubleClicked, this, ask);
  connect(m_allow, &QPushButton::clicked, this, [this] {
    if (const UnreadFile* file = current()) Q_EMIT allowWanted(text(file->folder));
  });
  connect(m_list, &QTreeWidget::currentItemChanged, this, [this] { showWhatHelps(); });
  connect(m_below, &QPushButton::clicked, this, [this] {
    const QString folder = QFileDialog::getExistingDirectory(this, tr("Look in this folder and below it"), m_folder);
    if (!folder.isEmpty()) findBelow(folder);
  });
  connect(&m_worker, &Worker::busyChanged, this, [this] { m_below->setEnabled(!m_worker.isBusy()); });
}

const UnreadFile* MissingWindow::current() const {
  const int at = m_list->indexOfTopLevelItem(m_list->currentItem());
  return at < 0 || static_cast<std::size_t>(at) >= m_files.size() ? nullptr : &m_files[static_cast<std::size_t>(at)];
}

void MissingWindow::showFiles(const std::vector<UnreadFile>& files, const QString& folder) {
  const UnreadFile* before = current();
  const std::string chosen = before ? before->path : std::string();
  m_folder = folder;
  m_files = files;
  QStringList words;
  for (const Problem& p : m_model->document().origin.problems) words.push_back(QStringLiteral("! ") + lineOf(p));
  if (words.size() > 6) words = words.mid(0, 6) << tr("and %1 more").arg(words.size() - 6);
  words.push_front(m_files.empty() ? tr("All files of the plan were read.")
                                   : tr("These files of the plan could not be read. What was placed of them is marked; "
                                        "nothing else takes its place."));
  m_words->setText(words.join(QLatin1Char('\n')));
  m_list->clear();
  for (const UnreadFile& file : m_files) {
    auto* item = new QTreeWidgetItem(m_list,
                                     {text(file.path), said(file.problem.message), some(file.neededBy), costOf(file)});
    item->setForeground(0, Theme::current().trouble);
    item->setToolTip(0, text(file.path));
    item->setToolTip(1, lineOf(file.problem));
    item->setToolTip(2, some(file.neededBy));
    item->setToolTip(3, costOf(file));
    if (file.path == chosen) m_list->setCurrentItem(item);
  }
  if (!m_list->currentItem()) m_list->setCurrentItem(m_list->topLevelItem(0));
  for (int c = 0; c < 3; ++c) {
    m_list->resizeColumnToContents(c);
    m_list->setColumnWidth(c, std::min(m_list->columnWidth(c), c == 1 ? 320 : 220));
  }
  showWhatHelps();
}

void MissingWindow::showWhatHelps() {
  const UnreadFile* file = current();
  const bool isRefused = file && !file->folder.empty();
  m_allow->setVisible(isRefused);
  m_find->setVisible(!isRefused);
  m_find->setEnabled(file != nullptr);
}

void MissingWindow::say(const QString& words) {
  m_message->setText(words);
  m_message->show();
}

void MissingWindow::findAgain(const std::string& path, const QString& file) {
  std::vector<std::string> others;
  for (const UnreadFile& other : m_files)
    if (other.problem.code == ProblemCode::FileMissing) others.push_back(other.path);
  const auto found = foundBeside(path, file, others);
  relink(*m_model, m_folder, found);
  say(tr("%1 found").arg(found.size()));
}

void MissingWindow::findBelow(const QString& folder) {
  std::vector<std::string> wanted;
  for (const UnreadFile& file : m_files)
    if (file.folder.empty()) wanted.push_back(file.path);
  say(tr("looking in %1…").arg(QDir::toNativeSeparators(folder)));
  m_worker.ask([this, wanted, below = folder.toStdString()](const Task& task) -> Worker::Answer {
    return [this, wanted, found = filesBelow(below, wanted, task)] {
      relink(*m_model, m_folder, found);
      say(tr("%1 of %2 found").arg(found.size()).arg(wanted.size()));
    };
  });
}

}  // namespace arvesk
