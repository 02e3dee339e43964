#include "app/kit/kit_view.h"

#include "app/bench/number_field.h"
#include "app/window/theme.h"

#include <QCheckBox>
#include <QDir>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QListWidget>
#include <QLocale>
#include <QMimeData>
#include <QPushButton>
#include <QVBoxLayout>

#include <algorithm>

namespace arvesk {
namespace {

QString text(const std::string& s) { return QString::fromStdString(s); }

}  // namespace

KitView::KitView(PlanModel* model, EvaluationService* service, QWidget* parent)
    : QWidget(parent), m_model(model), m_service(service), m_list(new QListWidget(this)), m_facts(new QLabel(this)), m_controls(new QWidget(this)) {
  setObjectName(QStringLiteral("kit"));
  setAcceptDrops(true);
  m_list->setObjectName(QStringLiteral("kit_list"));
  m_list->setAccessibleName(tr("Props"));
  m_list->setViewMode(QListView::IconMode);
  m_list->setResizeMode(QListView::Adjust);
  m_list->setMovement(QListView::Static);
  m_list->setIconSize(QSize(88, 88));
  m_list->setGridSize(QSize(99, 124));
    m_list->setWordWrap(true);
  m_list->setFrameShape(QFrame::NoFrame);
  m_list->setSelectionMode(QAbstractItemView::ExtendedSelection);
  m_facts->setWordWrap(true);
  m_facts->setObjectName(QStringLiteral("kit_facts"));
  ParamSpec unit;
  unit.hard(1e-6, 1e6).usual(0.001, 10, 0.01);
  m_unit = new NumberField(unit, m_controls);
  m_unit->setObjectName(QStringLiteral("unit_scale"));
  m_unit->setAccessibleName(tr("Unit"));
  m_zUp = new QCheckBox(tr("Z is up in the file"), m_controls);
  m_zUp->setObjectName(QStringLiteral("z_up"));
  m_base = new QCheckBox(tr("Pivot at the middle of the base"), m_controls);
  m_base->setObjectName(QStringLiteral("base_pivot"));
  auto* form = new QFormLayout(m_controls);
  form->setContentsMargins(0, 0, 0, 0);
  form->addRow(tr("Unit, in m"), m_unit);
  form->addRow(m_zUp);
  form->addRow(m_base);
  auto* add = new QPushButton(tr("Add props…"), this);
  add->setObjectName(QStringLiteral("add_props"));
  auto* remove = new QPushButton(tr("Remove"), this);
  remove->setObjectName(QStringLiteral("remove_props"));
  auto* buttons = new QHBoxLayout;
  buttons->addWidget(add);
  buttons->addWidget(remove);
  buttons->addStretch(1);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(12, 10, 12, 12);
  column->setSpacing(8);
  column->addLayout(buttons);
  column->addWidget(m_list, 1);
  column->addWidget(m_facts);
  column->addWidget(m_controls);
  connect(add, &QPushButton::clicked, this, [this] { addFiles(); });
  connect(remove, &QPushButton::clicked, this, &KitView::removeSelected);
  connect(m_list, &QListWidget::itemSelectionChanged, this, &KitView::showSelected);
  connect(m_unit, &NumberField::edited, this, [this](double v, int gesture) { edit(tr("Unit of prop"), [v](PropEntry& p) { p.unitScale = v; }, QStringLiteral("unit.%1").arg(gesture)); });
  connect(m_zUp, &QCheckBox::clicked, this, [this](bool on) { edit(tr("Up axis of prop"), [on](PropEntry& p) { p.isZUp = on; }); });
  connect(m_base, &QCheckBox::clicked, this, [this](bool on) { edit(tr("Pivot of prop"), [on](PropEntry& p) { p.isBasePivot = on; }); });
  connect(m_model, &PlanModel::changed, this, &KitView::rebuild);
  connect(m_service, &EvaluationService::thumbnailReady, this, &KitView::rebuild);
  rebuild();
}

const PropEntry* KitView::selected() const {
  const auto items = m_list->selectedItems();
  return items.size() == 1 ? m_model->plan().findProp(items.first()->data(Qt::UserRole).toString().toStdString()) : nullptr;
}

void KitView::rebuild() {
  const auto& props = m_model->plan().props;
  while (m_list->count() > static_cast<int>(props.size())) delete m_list->takeItem(m_list->count() - 1);
  while (m_list->count() < static_cast<int>(props.size())) m_list->addItem(new QListWidgetItem);
  for (int i = 0; i < m_list->count(); ++i) {
    const PropEntry& prop = props[static_cast<std::size_t>(i)];
    QListWidgetItem* item = m_list->item(i);
    item->setText(text(prop.name));
    item->setData(Qt::UserRole, text(prop.uid));
    item->setToolTip(text(prop.file));
    const auto it = m_service->thumbnails().find(prop.uid);
    QPixmap pixmap;
    if (it != m_service->thumbnails().end()) {
      pixmap = QPixmap::fromImage(it->second);
      pixmap.setDevicePixelRatio(2);
    } else {
      pixmap = QPixmap(88, 88);
      pixmap.fill(QColor(0xEC, 0xE8, 0xDE));
    }
    item->setIcon(QIcon(pixmap));
  }
  showSelected();
}

void KitView::showResults(const EvalViewPtr& view) {
  m_view = view;
  showSelected();
}

void KitView::showSelected() {
  const PropEntry* entry = selected();
  m_controls->setVisible(entry != nullptr);
  if (!entry) {
    m_facts->setText(m_model->plan().props.empty() ? tr("No props yet. Add mesh files, or drop them here.") : tr("%1 props in the plan").arg(m_model->plan().props.size()));
    return;
  }
  m_unit->showValue(entry->unitScale);
  m_zUp->setChecked(entry->isZUp);
  m_base->setChecked(entry->isBasePivot);
  QString facts = QStringLiteral("<b>%1</b> · %2").arg(text(entry->name).toHtmlEscaped(), text(entry->file).toHtmlEscaped());
  if (m_view) {
    const auto it = std::find_if(m_view->props.begin(), m_view->props.end(), [&](const PropPtr& p) { return p->uid == entry->uid; });
    if (it != m_view->props.end()) {
      const Vec3 size = (*it)->surface->bounds().extent();
      const QLocale locale;
      const auto m = [&](float v) { return locale.toString(static_cast<double>(v), 'f', v < 1 ? 3 : 2); };
      facts += QStringLiteral("<br>") + tr("%1 × %2 × %3 m · footprint %4 m · %5 triangles").arg(m(size.x), m(size.y), m(size.z), m((*it)->footprint), locale.toString(static_cast<qulonglong>((*it)->surface->faceCount())));
    }
    for (const Problem& p : m_view->evaluation.propProblems)
      if (p.where == entry->file) facts += QStringLiteral("<br><span style='color:%1'>! %2</span>").arg(Theme::current().trouble.name(), text(toLine(p)).toHtmlEscaped());
  }
  m_facts->setText(facts);
}

void KitView::edit(const QString& words, const std::function<void(PropEntry&)>& change, const QString& key) {
  const PropEntry* entry = selected();
  if (!entry) return;
  const std::string uid = entry->uid;
  m_model->edit(words, [&](Plan& plan) {
    for (PropEntry& p : plan.props)
      if (p.uid == uid) change(p);
  }, key.isEmpty() ? key : text(uid) + key);
}

void KitView::addFiles() {
  addFiles(QFileDialog::getOpenFileNames(window(), tr("Add props"), m_folder, tr("Meshes (*.glb *.gltf *.obj *.ply *.stl *.dae *.fbx *.3ds);;All files (*)")));
}

void KitView::addFiles(const QStringList& paths) {
  if (paths.isEmpty()) return;
  m_model->edit(tr("Add props"), [&](Plan& plan) {
    for (const QString& path : paths) {
      PropEntry p;
      p.uid = newUid();
      p.name = QFileInfo(path).completeBaseName().toStdString();
      p.file = (m_folder.isEmpty() ? path : QDir(m_folder).relativeFilePath(path)).toStdString();
      plan.props.push_back(std::move(p));
    }
  });
}

void KitView::removeSelected() {
  QStringList uids;
  for (const QListWidgetItem* item : m_list->selectedItems()) uids.push_back(item->data(Qt::UserRole).toString());
  if (uids.isEmpty()) return;
  m_model->edit(tr("Remove props"), [&](Plan& plan) { std::erase_if(plan.props, [&](const PropEntry& p) { return uids.contains(text(p.uid)); }); });
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
