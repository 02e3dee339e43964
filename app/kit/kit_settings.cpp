#include "app/kit/kit_settings.h"

#include "app/bench/number_field.h"
#include "app/kit/mesh_files.h"
#include "app/model/words.h"
#include "app/window/theme.h"
#include "core/plan/context.h"
#include "core/plan/prop_splitting.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDir>
#include <QFileDialog>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QLocale>
#include <QMenu>
#include <QPushButton>
#include <QStandardItemModel>
#include <QToolButton>
#include <QVBoxLayout>

namespace arvesk {
KitSettings::KitSettings(PlanModel* model, QWidget* parent) : QScrollArea(parent), m_model(model) {
  setObjectName(QStringLiteral("kit_settings"));
  setWidgetResizable(true);
  setFrameShape(QFrame::NoFrame);
  setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  auto* body = new QWidget;
  setWidget(body);
  m_column = new QVBoxLayout(body);
  m_column->setContentsMargins(12, 8, 12, 12);
  m_column->setSpacing(6);
  m_name = new QLineEdit(body);
  m_name->setObjectName(QStringLiteral("prop_name"));
  m_name->setAccessibleName(tr("Name of the prop"));
  m_facts = new QLabel(body);
  m_facts->setObjectName(QStringLiteral("kit_facts"));
  m_facts->setWordWrap(true);
  m_facts->setProperty("role", QStringLiteral("quiet"));
  m_warnings = new QWidget(body);
  m_warnings->setObjectName(QStringLiteral("prop_warnings"));
  new QVBoxLayout(m_warnings);
  m_warnings->layout()->setContentsMargins(0, 0, 0, 0);
  m_warnings->layout()->setSpacing(4);
  m_replace = new QToolButton(body);
  m_replace->setText(tr("Replace file…"));
  m_replace->setObjectName(QStringLiteral("replace_file"));
  m_replace->setToolTip(tr("Another file for this prop, everywhere it stands; its settings stay"));
  connect(m_replace, &QToolButton::clicked, this, &KitSettings::replaceWanted);
  m_split = new QToolButton(body);
  m_split->setText(tr("Split"));
  m_split->setObjectName(QStringLiteral("split_prop"));
  m_split->setToolTip(tr("Makes a prop of each part of the file, with these settings"));
  m_split->setPopupMode(QToolButton::InstantPopup);
  m_split->setMenu(new QMenu(m_split));
  connect(m_split->menu(), &QMenu::aboutToShow, this, &KitSettings::fillSplitMenu);
  auto* head = new QHBoxLayout;
  head->addWidget(m_name, 1);
  head->addWidget(m_split);
  head->addWidget(m_replace);
  m_column->addLayout(head);
  m_column->addWidget(m_facts);
  m_column->addWidget(m_warnings);
  m_grid = new QGridLayout;
  m_grid->setHorizontalSpacing(8);
  m_grid->setVerticalSpacing(5);
  m_grid->setColumnStretch(1, 1);
  m_grid->setColumnStretch(3, 1);
  m_column->addLayout(m_grid);
  m_column->addStretch(1);
  buildShape();
  buildTurns();
  buildRest();
  connectChoices();
}

QComboBox* KitSettings::combo(const char* name, const QStringList& words) {
  auto* box = new QComboBox(widget());
  box->setObjectName(QLatin1String(name));
  box->addItems(words);
  box->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  return box;
}

/// Unit, axis, pivot, sizes: what makes a file's mesh fit the plan.
void KitSettings::buildShape() {
  ParamSpec unit;
  unit.hard(1e-6, 1e6).usual(0.001, 10, 0.01);
  number("unit_scale", tr("Unit, in m"), tr("How many m one unit of the file is; 0.01 for centimeters"), unit,
         &PropEntry::unitScale);
  m_upAxis = combo("up_axis", {tr("Y up"), tr("Z up")});
  place(tr("Up axis"), tr("The axis that points up in the file"), m_upAxis);
  m_pivot = combo("pivot", {tr("As made"), tr("Base center"), tr("Center"), tr("Lowest point")});
  place(tr("Pivot"), tr("The place of the prop that is set on the point"), m_pivot);
  ParamSpec height;
  height.in(Unit::Meter).hard(0, 1e4).usual(0, 20, 0.05);
  number("common_height", tr("Height"), tr("The prop is scaled to this height; 0 leaves it as made"), height,
         &PropEntry::commonHeight);
  ParamSpec size;
  size.hard(1e-4, 1e4).usual(0.1, 10, 0.05);
  number("own_size", tr("Own size"), tr("A factor on top"), size, &PropEntry::size);
  ParamSpec footprint;
  footprint.in(Unit::Meter).hard(0, 1e4).usual(0, 5, 0.05);
  number("footprint", tr("Footprint"), tr("Radius of all of it as seen from above; 0 takes it from the geometry"),
         footprint, &PropEntry::footprint);
  number("base", tr("Base"), tr("Radius of what touches the ground, such as a trunk; 0 takes it from the geometry"),
         footprint, &PropEntry::base);
  ParamSpec weight;
  weight.hard(0, 1000).usual(0, 10, 0.1);
  number("weight", tr("Weight"), tr("Where Choose props finds it by name or tag: 2 comes up twice as often as 1"),
         weight, &PropEntry::weight);
  m_normals = combo("normals", {tr("As made"), tr("Smooth"), tr("Sharp above 40°"), tr("Flat")});
  place(tr("Normals"), tr("As in the file, or made anew"), m_normals);
}

void KitSettings::buildTurns() {
  auto* turns = new QWidget(widget());
  auto* turnRow = new QHBoxLayout(turns);
  turnRow->setContentsMargins(0, 0, 0, 0);
  turnRow->setSpacing(4);
  ParamSpec angle;
  angle.in(Unit::Degree).hard(-360, 360).usual(-180, 180, 1);
  constexpr std::array axes{"x", "y", "z"};
  for (int a = 0; a < 3; ++a) {
    auto* field = new NumberField(angle, turns);
    field->setObjectName(QStringLiteral("turn_%1").arg(QLatin1String(axes[static_cast<std::size_t>(a)])));
    field->setAccessibleName(tr("Turn about %1").arg(QString(QLatin1Char(static_cast<char>('X' + a)))));
    turnRow->addWidget(field);
    m_turn[static_cast<std::size_t>(a)] = field;
    connect(field, &NumberField::edited, this, [this, a](double v, int gesture) {
      edit(
          tr("Turn of prop"), [a, v](PropEntry& p) { p.turnDeg[a] = static_cast<float>(v); },
          QStringLiteral("turn.%1").arg(gesture));
    });
  }
  place(tr("Own turn"), tr("Degrees about X, then Y, then Z, for props that were built another way round"), turns,
        true);
}

void KitSettings::buildRest() {
  m_tags = new QLineEdit(widget());
  m_tags->setObjectName(QStringLiteral("tags"));
  m_tags->setPlaceholderText(tr("words, separated by spaces"));
  place(tr("Tags"), tr("Free words: Choose props can go by them, and they are exported"), m_tags, true);
  m_massing = combo("massing", {tr("A box"), tr("Simplified"), tr("A file of its own…")});
  place(tr("Massing"), tr("What stands for the prop in the Massing view, or while it is too heavy to be shown"),
        m_massing);
  ParamSpec triangles;
  triangles.hard(4, 1e6).usual(12, 5000, 10);
  triangles.type = ParamType::Integer;
  m_massingTriangles = new NumberField(triangles, widget());
  m_massingTriangles->setObjectName(QStringLiteral("massing_triangles"));
  place(tr("Triangles"), tr("What simplifying aims at"), m_massingTriangles);
  m_massingShown = new QCheckBox(tr("Show the massing in Dressed too"), widget());
  m_massingShown->setObjectName(QStringLiteral("massing_shown"));
  place(QString(), tr("For props with so many triangles that Site would crawl; export writes the real one"),
        m_massingShown, true);
  m_delivery = combo("delivery", {tr("As geometry"), tr("By its file"), tr("By another file…")});
  place(tr("Delivery"), tr("What exports hold of the prop: its geometry, or the name of a file that is left as it is"),
        m_delivery);
  m_mounts = new QToolButton(widget());
  m_mounts->setObjectName(QStringLiteral("mounts"));
  place(tr("Mounts"),
        tr("The prop at large: marked places where On props can set something, and values of its vertices"), m_mounts);
}

void KitSettings::connectChoices() {
  connect(m_name, &QLineEdit::editingFinished, this, [this] {
    const std::string name = m_name->text().trimmed().toStdString();
    if (m_name->isModified() && !name.empty() && m_uids.size() == 1)
      edit(tr("Name of prop"), [name](PropEntry& p) { p.name = name; });
    m_name->setModified(false);
  });
  connect(m_tags, &QLineEdit::editingFinished, this, [this] {
    if (m_tags->isModified())
      edit(tr("Tags of prop"), [tags = m_tags->text().simplified().toStdString()](PropEntry& p) { p.tags = tags; });
    m_tags->setModified(false);
  });
  connect(m_upAxis, &QComboBox::activated, this,
          [this](int i) { edit(tr("Up axis of prop"), [i](PropEntry& p) { p.isZUp = i == 1; }); });
  connect(m_pivot, &QComboBox::activated, this,
          [this](int i) { edit(tr("Pivot of prop"), [i](PropEntry& p) { p.pivot = static_cast<PivotAt>(i); }); });
  connect(m_normals, &QComboBox::activated, this, [this](int i) {
    constexpr std::array<double, 4> angles{-1, 180, 40, 0};
    edit(tr("Normals of prop"), [angle = angles[static_cast<std::size_t>(i)]](PropEntry& p) { p.creaseDeg = angle; });
  });
  connect(m_massing, &QComboBox::activated, this, &KitSettings::chooseMassing);
  connect(m_delivery, &QComboBox::activated, this, &KitSettings::chooseDelivery);
  connect(m_massingShown, &QCheckBox::clicked, this,
          [this](bool on) { edit(tr("Massing of prop"), [on](PropEntry& p) { p.isMassingShown = on; }); });
  connect(m_massingTriangles, &NumberField::edited, this, [this](double v, int gesture) {
    edit(
        tr("Massing of prop"), [v](PropEntry& p) { p.massingTriangles = static_cast<int>(v); },
        QStringLiteral("massing.%1").arg(gesture));
  });
  connect(m_mounts, &QToolButton::clicked, this, &KitSettings::mountsWanted);
}

void KitSettings::chooseMassing(int which) {
  std::string file;
  if (which == 2) {
    const QString path = QFileDialog::getOpenFileName(window(), tr("A light mesh that stands for it in Site"), m_folder,
                                                      meshFilter());
    if (path.isEmpty()) return show(m_uids, m_view);  // as it was
    file = (m_folder.isEmpty() ? path : QDir(m_folder).relativeFilePath(path)).toStdString();
  }
  edit(tr("Massing of prop"), [which, file](PropEntry& p) {
    p.lightFile = file;
    if (which < 2) p.isMassingBox = which == 0;
  });
}

void KitSettings::chooseDelivery(int which) {
  std::string file;
  if (which == 2) {
    QStringList endings = meshEndings();
    for (const char* usd : {"usd", "usda", "usdc", "usdz"}) endings.prepend(QLatin1String(usd));
    const QString path = QFileDialog::getOpenFileName(
        window(), tr("The file that exports name"), m_folder,
        tr("Scenes and meshes (%1);;All files (*)").arg(QStringLiteral("*.") + endings.join(QStringLiteral(" *."))));
    if (path.isEmpty()) return show(m_uids, m_view);  // as it was
    file = (m_folder.isEmpty() ? path : QDir(m_folder).relativeFilePath(path)).toStdString();
  }
  edit(tr("Delivery of prop"), [which, file](PropEntry& p) {
    p.isByReference = which > 0;
    p.deliveredFile = file;
  });
}

void KitSettings::fillSplitMenu() {
  QMenu* menu = m_split->menu();
  menu->clear();
  const PropEntry* entry = first();
  const auto file = entry && m_view ? m_view->splits.find(entry->uid) : decltype(m_view->splits)::const_iterator();
  if (!entry || !m_view || file == m_view->splits.end()) return;
  const auto add = [&](const QString& words, PartBy by, const std::vector<std::string>& names, const QString& name) {
    QAction* action = menu->addAction(words);
    action->setObjectName(name);
    const bool isTooMany = names.size() > kMostSplit;
    action->setEnabled(names.size() > 1 && !isTooMany);
    if (isTooMany) action->setText(words + tr(": more than %1").arg(kMostSplit));
    connect(action, &QAction::triggered, this, [this, by, names] { split(by, names); });
  };
  const FileSplits& splits = *file->second;
  add(tr("By named parts (%1)").arg(splits.parts.size()), PartBy::Part, splits.parts, QStringLiteral("by_parts"));
  for (const FileSplits::Parent& parent : splits.parents)
    add(tr("What lies below %1 (%2)").arg(text(parent.name)).arg(parent.children.size()), PartBy::Below,
        parent.children, QStringLiteral("below_") + text(parent.name));
  std::vector<std::string> pieces;
  if (splits.pieces <= kMostSplit)
    pieces = namesOfSplit(splits, PartBy::Piece);
  else
    pieces.resize(splits.pieces);
  add(tr("Into loose pieces (%1)").arg(splits.pieces), PartBy::Piece, pieces, QStringLiteral("by_pieces"));
}

void KitSettings::split(PartBy by, const std::vector<std::string>& names) {
  const PropEntry* entry = first();
  if (!entry) return;
  const std::string uid = entry->uid;
  std::vector<std::string> parts;
  m_model->edit(tr("Split prop"), [&](Plan& plan) { parts = splitProp(plan, uid, by, names); });
  Q_EMIT propsAdded(parts);
}

void KitSettings::place(const QString& label, const QString& help, QWidget* editor, bool isWide) {
  if (isWide && m_cell % 2) ++m_cell;
  const int row = m_cell / 2;
  const int column = (m_cell % 2) * 2;
  auto* word = new QLabel(label, widget());
  word->setProperty("role", QStringLiteral("quiet"));
  word->setToolTip(help);
  word->setBuddy(editor);
  editor->setToolTip(help);
  if (editor->accessibleName().isEmpty()) editor->setAccessibleName(label);
  m_grid->addWidget(word, row, column);
  m_grid->addWidget(editor, row, column + 1, 1, isWide ? 3 : 1);
  m_cell += isWide ? 2 : 1;
}

NumberField* KitSettings::number(const char* name, const QString& label, const QString& help, const ParamSpec& spec,
                                 double PropEntry::*member) {
  auto* field = new NumberField(spec, widget());
  field->setObjectName(QLatin1String(name));
  place(label, help, field);
  m_numbers.emplace_back(field, member);
  connect(field, &NumberField::edited, this, [this, member, label, name = QLatin1String(name)](double v, int gesture) {
    edit(
        tr("%1 of prop").arg(label), [member, v](PropEntry& p) { p.*member = v; },
        QStringLiteral("%1.%2").arg(name).arg(gesture));
  });
  return field;
}

const PropEntry* KitSettings::first() const {
  return m_uids.empty() ? nullptr : m_model->plan().findProp(m_uids.front());
}

void KitSettings::edit(const QString& words, const std::function<void(PropEntry&)>& change, const QString& key) {
  if (m_uids.empty()) return;
  m_model->edit(
      words,
      [&](Plan& plan) {
        for (PropEntry& p : plan.props)
          if (std::find(m_uids.begin(), m_uids.end(), p.uid) != m_uids.end()) change(p);
      },
      key.isEmpty() ? key : QStringLiteral("kit.%1.%2").arg(text(m_uids.front()), key));
}

void KitSettings::show(const std::vector<std::string>& uids, const EvalViewPtr& view) {
  m_uids = uids;
  m_view = view;
  const PropEntry* entry = first();
  setVisible(entry != nullptr);
  if (!entry) return;
  const bool isOne = uids.size() == 1;
  m_name->setEnabled(isOne);
  if (!m_name->isModified()) m_name->setText(isOne ? text(entry->name) : tr("%1 props").arg(uids.size()));
  m_replace->setEnabled(isOne);
  m_mounts->setEnabled(isOne);
  m_split->setEnabled(isOne && entry->partBy == PartBy::Whole && m_view && m_view->splits.contains(entry->uid));
  for (const auto& [field, member] : m_numbers) field->showValue(entry->*member);
  for (int a = 0; a < 3; ++a) m_turn[static_cast<std::size_t>(a)]->showValue(static_cast<double>(entry->turnDeg[a]));
  m_upAxis->setCurrentIndex(entry->isZUp ? 1 : 0);
  m_pivot->setCurrentIndex(static_cast<int>(entry->pivot));
  m_normals->setCurrentIndex(entry->creaseDeg < 0 ? 0 : entry->creaseDeg >= 90 ? 1 : entry->creaseDeg > 0 ? 2 : 3);
  m_massing->setCurrentIndex(!entry->lightFile.empty() ? 2 : entry->isMassingBox ? 0 : 1);
  m_massingTriangles->showValue(entry->massingTriangles);
  m_massingTriangles->setEnabled(!entry->isMassingBox && entry->lightFile.empty());
  m_massingShown->setChecked(entry->isMassingShown);
  // A file of its own is one prop's: several would all be shown or delivered as the same.
  for (QComboBox* box : {m_massing, m_delivery})
    qobject_cast<QStandardItemModel*>(box->model())->item(2)->setEnabled(isOne);
  m_delivery->setCurrentIndex(!entry->isByReference ? 0 : entry->deliveredFile.empty() ? 1 : 2);
  if (!m_tags->isModified()) m_tags->setText(text(entry->tags));
  QString facts = text(entry->file);
  if (entry->partBy == PartBy::Piece)
    facts += QStringLiteral(" · ") + tr("piece %1").arg(text(entry->part));
  else if (entry->partBy != PartBy::Whole)
    facts += QStringLiteral(" · ") + text(entry->part);
  if (!entry->lightFile.empty()) facts += QStringLiteral("\n") + tr("in Site: %1").arg(text(entry->lightFile));
  if (entry->isByReference && !entry->deliveredFile.empty())
    facts += QStringLiteral("\n") + tr("delivered: %1").arg(text(entry->deliveredFile));
  std::size_t mounts = entry->mounts.size();
  if (m_view && isOne) {
    const auto it = std::find_if(m_view->props.begin(), m_view->props.end(),
                                 [&](const PropPtr& p) { return p->uid == entry->uid; });
    if (it != m_view->props.end() && !(*it)->isMissing) {
      mounts = (*it)->mounts.size();
      const Vec3 size = (*it)->surface->bounds().extent();
      const QLocale locale;
      const auto m = [&](float v) { return locale.toString(static_cast<double>(v), 'f', v < 1 ? 3 : 2); };
      facts += QStringLiteral("\n") + tr("%1 × %2 × %3 m · footprint %4 m, base %5 m · %6 triangles")
                                          .arg(m(size.x), m(size.y), m(size.z), m((*it)->footprint), m(baseOf(**it)),
                                               locale.toString(static_cast<qulonglong>((*it)->surface->faceCount())));
    }
  }
  m_facts->setText(facts);
  m_mounts->setText(entry->values.empty() ? tr("%1 mount points · picture…").arg(mounts)
                                          : tr("%1 mount points · %2 values…").arg(mounts).arg(entry->values.size()));
  showWarnings();
}

void KitSettings::showWarnings() {
  while (QLayoutItem* item = m_warnings->layout()->takeAt(0)) {
    delete item->widget();
    delete item;
  }
  if (!m_view) return;
  const auto addRow = [&](const QString& words, bool isTrouble, const QString& fix, const std::function<void()>& apply,
                          const QString& name) {
    auto* row = new QWidget(m_warnings);
    auto* line = new QHBoxLayout(row);
    line->setContentsMargins(0, 0, 0, 0);
    auto* label = new QLabel(QStringLiteral("! ") + words, row);
    label->setWordWrap(true);
    label->setProperty("role", isTrouble ? QStringLiteral("trouble") : QStringLiteral("warning"));
    line->addWidget(label, 1);
    if (!fix.isEmpty()) {
      auto* button = new QPushButton(fix, row);
      button->setObjectName(name);
      line->addWidget(button);
      connect(button, &QPushButton::clicked, this, apply);
    }
    m_warnings->layout()->addWidget(row);
  };
  for (const std::string& uid : m_uids) {
    const PropEntry* entry = m_model->plan().findProp(uid);
    if (!entry) continue;
    const QString of = m_uids.size() > 1 ? text(entry->name) + QStringLiteral(": ") : QString();
    if (const auto told = m_view->evaluation.propProblems.find(uid); told != m_view->evaluation.propProblems.end())
      for (const Problem& p : told->second) {
        const bool isMissing = p.code == ProblemCode::FileMissing;
        const bool isTrouble = p.severity == Severity::Error;
        if (isMissing)
          addRow(
              of + said(p.message), true, tr("Find it…"), [this] { Q_EMIT replaceWanted(); },
              QStringLiteral("fix_missing"));
        else if (p.code != ProblemCode::UnlikelySize)  // which is among the warnings, with what can be said to it
          addRow(
              of + said(p.message), isTrouble, isTrouble ? tr("Try again") : QString(),
              [this] { Q_EMIT tryAgainWanted(); }, QStringLiteral("try_again"));
      }
    if (const auto file = m_view->splits.find(uid); m_uids.size() == 1 && file != m_view->splits.end())
      if (const std::vector<std::string> fresh = newParts(m_model->plan(), *entry, *file->second); !fresh.empty())
        addRow(
            tr("Its file has %1 more parts that are no props: %2")
                .arg(fresh.size())
                .arg(text(entry->partBy == PartBy::Piece || fresh.size() > 4 ? fresh.front() + " …" : listOf(fresh))),
            false, tr("Add them"),
            [this, uid, fresh] {
              std::vector<std::string> added;
              m_model->edit(tr("Add parts"), [&](Plan& plan) { added = addParts(plan, uid, fresh); });
              Q_EMIT propsAdded(added);
            },
            QStringLiteral("add_parts"));
    const auto it = m_view->propWarnings.find(uid);
    if (it == m_view->propWarnings.end()) continue;
    for (const PropWarning& w : it->second)
      addRow(
          of + said(w.message), false, said(w.fix),
          [this, uid, apply = w.apply, words = said(w.fix)] {
            m_model->edit(words, [&](Plan& plan) {
              for (PropEntry& p : plan.props)
                if (p.uid == uid) apply(p);
            });
          },
          QStringLiteral("fix_%1").arg(static_cast<int>(w.about)));
    if (m_warnings->layout()->count() > 8) break;
  }
}

}  // namespace arvesk
