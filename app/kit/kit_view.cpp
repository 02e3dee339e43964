#include "app/kit/kit_view.h"

#include "app/kit/mesh_files.h"
#include "app/kit/prop_mime.h"
#include "app/model/words.h"

#include "app/kit/prop_window.h"
#include "app/model/found_files.h"
#include "app/window/theme.h"
#include "core/base/pattern.h"

#include <QDir>
#include <QDirIterator>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QMimeData>
#include <QPainter>
#include <QShortcut>
#include <QSplitter>
#include <QTimer>
#include <QToolButton>
#include <QVBoxLayout>

#include <algorithm>

namespace arvesk {
namespace {

constexpr int kPicture = 88;  // px

/// A list whose pictures can be dragged to the Plan and to Site.
class PropList : public QListWidget {
 public:
  using QListWidget::QListWidget;

 protected:
  QMimeData* mimeData(const QList<QListWidgetItem*>& items) const override {
    QStringList uids;
    for (const QListWidgetItem* item : items) uids << item->data(Qt::UserRole).toString();
    return mimeOfProps(uids);
  }
};

}  // namespace

KitView::KitView(PlanModel* model, EvaluationService* service, QWidget* parent)
    : QWidget(parent),
      m_model(model),
      m_service(service),
      m_search(new QLineEdit(this)),
      m_count(new QLabel(this)),
      m_list(new PropList(this)),
      m_settings(new KitSettings(model, this)) {
  setObjectName(QStringLiteral("kit"));
  setAcceptDrops(true);
  m_search->setObjectName(QStringLiteral("kit_search"));
  m_search->setAccessibleName(tr("Search props"));
  m_search->setPlaceholderText(tr("Search props"));
  m_search->setToolTip(tr("Search names and tags"));
  m_search->setClearButtonEnabled(true);
  m_count->setProperty("role", QStringLiteral("quiet"));
  m_count->setObjectName(QStringLiteral("kit_count"));
  m_list->setObjectName(QStringLiteral("kit_list"));
  m_list->setAccessibleName(tr("Props"));
  m_list->setViewMode(QListView::IconMode);
  m_list->setResizeMode(QListView::Adjust);
  m_list->setMovement(QListView::Static);
  m_list->setDragEnabled(true);
  m_list->setDragDropMode(QAbstractItemView::DragOnly);
  m_list->setIconSize(QSize(kPicture, kPicture));
  m_list->setGridSize(QSize(102, 124));
  m_list->setWordWrap(true);
  m_list->setFrameShape(QFrame::NoFrame);
  m_list->setSelectionMode(QAbstractItemView::ExtendedSelection);
  const auto tool = [&](const QString& words, const char* name, const QString& help, auto&& what) {
    auto* b = new QToolButton(this);
    b->setText(words);
    b->setObjectName(QLatin1String(name));
    b->setToolTip(help);
    connect(b, &QToolButton::clicked, this, what);
    return b;
  };
  auto* head = new QHBoxLayout;
  head->setContentsMargins(12, 10, 12, 0);
  head->setSpacing(6);
  head->addWidget(m_search, 1);
  head->addWidget(tool(tr("Add files…"), "add_props", tr("Mesh files become props; they can also be dropped here"),
                       [this] { addFiles(); }));
  head->addWidget(tool(tr("Add folder…"), "add_folder", tr("All mesh files of a folder and those below it"),
                       [this] { addFolder(); }));
  head->addWidget(tool(tr("Remove"), "remove_props", tr("Takes the selected props out of the plan; their files stay"),
                       [this] { removeSelected(); }));
  auto* top = new QWidget(this);
  auto* column = new QVBoxLayout(top);
  column->setContentsMargins(12, 4, 0, 0);
  column->setSpacing(4);
  column->addWidget(m_list, 1);
  column->addWidget(m_count);
  auto* split = new QSplitter(Qt::Vertical, this);
  split->addWidget(top);
  split->addWidget(m_settings);
  split->setStretchFactor(0, 3);
  split->setStretchFactor(1, 2);
  split->setChildrenCollapsible(false);
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->setSpacing(0);
  all->addLayout(head);
  all->addWidget(split, 1);
  connect(new QShortcut(QKeySequence::Delete, m_list, nullptr, nullptr, Qt::WidgetShortcut), &QShortcut::activated,
          this, &KitView::removeSelected);
  connect(m_search, &QLineEdit::textChanged, this, &KitView::rebuild);
  connect(m_list, &QListWidget::itemSelectionChanged, this, [this] {
    showSelected();
    // Once the list has laid itself out: then what was selected by code comes into sight too.
    QTimer::singleShot(0, m_list, [this] {
      if (m_list->selectedItems().size() == 1) m_list->scrollToItem(m_list->selectedItems().first());
    });
  });
  connect(m_list, &QListWidget::itemDoubleClicked, this, [this] { openMounts(); });
  connect(m_settings, &KitSettings::replaceWanted, this, &KitView::askForReplacement);
  connect(m_settings, &KitSettings::tryAgainWanted, this, &KitView::tryAgainWanted);
  connect(m_settings, &KitSettings::propsAdded, this, &KitView::select);
  connect(m_settings, &KitSettings::mountsWanted, this, &KitView::openMounts);
  connect(m_model, &PlanModel::changed, this, &KitView::rebuild);
  connect(m_service, &EvaluationService::thumbnailReady, this, &KitView::rebuild);
  rebuild();
}

QString KitView::searchText() const { return m_search->text(); }

std::vector<std::string> KitView::selectedUids() const {
  std::vector<std::string> out;
  for (const QListWidgetItem* item : m_list->selectedItems())
    out.push_back(item->data(Qt::UserRole).toString().toStdString());
  return out;
}

/// Every word of the search must stand in the name or begin a tag.
bool KitView::isFound(const PropEntry& prop) const {
  const QString name = text(prop.name).toLower();
  const QStringList tags = text(prop.tags).toLower().split(QLatin1Char(' '), Qt::SkipEmptyParts);
  for (const QString& word : m_search->text().toLower().split(QLatin1Char(' '), Qt::SkipEmptyParts)) {
    const bool isTag = std::any_of(tags.begin(), tags.end(), [&](const QString& tag) { return tag.startsWith(word); });
    if (!isTag && !name.contains(word)) return false;
  }
  return true;
}

void KitView::rebuild() {
  std::vector<const PropEntry*> props;
  for (const PropEntry& p : m_model->plan().props)
    if (isFound(p)) props.push_back(&p);
  // Items are kept and filled anew, so that the selection stays while nothing is added or filtered.
  const std::vector<std::string> selected = selectedUids();
  const QSignalBlocker quiet(m_list);
  while (m_list->count() > static_cast<int>(props.size())) delete m_list->takeItem(m_list->count() - 1);
  while (m_list->count() < static_cast<int>(props.size())) m_list->addItem(new QListWidgetItem);
  for (int i = 0; i < m_list->count(); ++i) {
    const PropEntry& prop = *props[static_cast<std::size_t>(i)];
    QListWidgetItem* item = m_list->item(i);
    QString mark;
    QStringList notes{text(prop.file)};
    if (m_view) {
      if (const auto told = m_view->evaluation.propProblems.find(prop.uid);
          told != m_view->evaluation.propProblems.end())
        for (const Problem& p : told->second) {
          mark = QStringLiteral("! ");
          notes.push_back(said(p.message));
        }
      if (const auto it = m_view->propWarnings.find(prop.uid); it != m_view->propWarnings.end())
        for (const PropWarning& w : it->second) {
          // An open mesh or one without normals is worth a word, not a mark: most plants are open.
          if (w.about != PropWarning::About::Open) mark = QStringLiteral("! ");
          notes.push_back(said(w.message));
        }
    }
    item->setText(mark + text(prop.name));
    item->setData(Qt::UserRole, text(prop.uid));
    item->setToolTip(notes.join(QLatin1Char('\n')));
    const auto it = m_service->thumbnails().find(prop.uid);
    QPixmap pixmap;
    if (it != m_service->thumbnails().end()) {
      pixmap = QPixmap::fromImage(it->second);
      pixmap.setDevicePixelRatio(2);
    } else {
      pixmap = QPixmap(kPicture, kPicture);
      pixmap.fill(QColor(0xEC, 0xE8, 0xDE));
    }
    item->setIcon(QIcon(pixmap));
    item->setSelected(std::find(selected.begin(), selected.end(), prop.uid) != selected.end());
  }
  showSelected();
}

void KitView::setFolder(const QString& folder) {
  m_folder = folder;
  m_settings->setFolder(folder);
}

void KitView::select(const std::vector<std::string>& uids) {
  {
    const QSignalBlocker quiet(m_list);
    for (int i = 0; i < m_list->count(); ++i) {
      QListWidgetItem* item = m_list->item(i);
      const std::string uid = item->data(Qt::UserRole).toString().toStdString();
      item->setSelected(std::find(uids.begin(), uids.end(), uid) != uids.end());
    }
  }
  showSelected();
}

void KitView::showResults(const EvalViewPtr& view) {
  m_view = view;
  rebuild();
}

void KitView::showSelected() {
  const std::vector<std::string> uids = selectedUids();
  const std::size_t all = m_model->plan().props.size();
  m_settings->show(uids, m_view);
  m_count->setText(all == 0          ? tr("No props yet. Add mesh files or a folder, or drop them here.")
                   : uids.size() > 1 ? tr("%1 of %2 props selected; edits go to all of them").arg(uids.size()).arg(all)
                   : static_cast<std::size_t>(m_list->count()) < all
                       ? tr("%1 of %2 props").arg(m_list->count()).arg(all)
                       : tr("%1 props in the plan").arg(all));
}

void KitView::addFiles() { addFiles(QFileDialog::getOpenFileNames(window(), tr("Add props"), m_folder, meshFilter())); }

void KitView::addFolder() {
  const QString folder = QFileDialog::getExistingDirectory(window(), tr("Add all meshes of a folder"), m_folder);
  if (!folder.isEmpty()) addFiles({folder});
}

void KitView::addFiles(const QStringList& paths) {
  QStringList files;
  for (const QString& path : paths) {
    if (!QFileInfo(path).isDir()) {
      files.push_back(path);
      continue;
    }
    QDirIterator it(path, QDir::Files, QDirIterator::Subdirectories);
    QStringList found;
    while (it.hasNext())
      if (const QString file = it.next(); meshEndings().contains(QFileInfo(file).suffix().toLower()))
        found.push_back(file);
    found.sort();
    files += found;
  }
  if (files.isEmpty()) {
    if (!paths.isEmpty()) m_count->setText(tr("There is no mesh file in %1").arg(QFileInfo(paths.first()).fileName()));
    return;
  }
  m_model->edit(tr("Add props"), [&](Plan& plan) {
    PropChoices added;
    for (const QString& path : files) {
      PropEntry p;
      p.uid = newUid();
      p.name = QFileInfo(path).completeBaseName().toStdString();
      p.file = (m_folder.isEmpty() ? path : QDir(m_folder).relativeFilePath(path)).toStdString();
      added.push_back({p.uid, 1, true});
      plan.props.push_back(std::move(p));
    }
    // A list that waits for props gets them.
    for (Node& node : plan.nodes)
      if (node.kind == "choose-props" && node.params.empty() && node.follows.empty()) node.params["props"] = added;
  });
}

void KitView::removeSelected() {
  const std::vector<std::string> uids = selectedUids();
  QStringList users;
  for (const Node& node : m_model->plan().nodes)
    if (const KitPtr kit = m_view ? m_view->evaluation.firstOf<KitPtr>(node.uid) : nullptr)
      if (std::any_of(kit->entries.begin(), kit->entries.end(), [&](const KitEntry& e) {
            return std::find(uids.begin(), uids.end(), e.prop->uid) != uids.end();
          }))
        users.push_back(text(node.title));
  m_model->removeProps(uids, users);
}

void KitView::askForReplacement() {
  const std::vector<std::string> uids = selectedUids();
  if (uids.empty()) return;
  const QString path = QFileDialog::getOpenFileName(window(), tr("The file to use instead"), m_folder, meshFilter());
  if (!path.isEmpty()) replaceFile(uids.front(), path);
}

void KitView::replaceFile(const std::string& uid, const QString& path) {
  const auto isMissing = [this](const PropEntry& p) {
    return !QFileInfo::exists(QDir(m_folder).absoluteFilePath(text(p.file)));
  };
  const PropEntry* entry = m_model->plan().findProp(uid);
  if (!entry) return;
  if (isMissing(*entry)) {
    std::vector<std::string> others;
    for (const PropEntry& p : m_model->plan().props)
      if (isMissing(p)) others.push_back(p.file);
    return relink(*m_model, m_folder, foundBeside(entry->file, path, others));
  }
  m_model->edit(tr("Replace file"), [&](Plan& plan) {
    for (PropEntry& p : plan.props)
      if (p.uid == uid) p.file = (m_folder.isEmpty() ? path : QDir(m_folder).relativeFilePath(path)).toStdString();
  });
}

void KitView::openMounts() {
  const std::vector<std::string> uids = selectedUids();
  if (uids.size() != 1 || !m_view) return;
  const auto it = std::find_if(m_view->props.begin(), m_view->props.end(),
                               [&](const PropPtr& p) { return p->uid == uids.front(); });
  if (it == m_view->props.end()) return;
  auto* window = new PropWindow(m_model, m_service, uids.front(), m_folder, this->window());
  window->show();
}

void KitView::dragEnterEvent(QDragEnterEvent* event) {
  if (event->mimeData()->hasUrls()) event->acceptProposedAction();
}

void KitView::dropEvent(QDropEvent* event) {
  QStringList paths;
  for (const QUrl& url : event->mimeData()->urls())
    if (url.isLocalFile()) paths.push_back(url.toLocalFile());
  addFiles(paths);
  event->acceptProposedAction();
}

}  // namespace arvesk
