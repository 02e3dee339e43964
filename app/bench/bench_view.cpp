#include "app/bench/bench_view.h"

#include "app/bench/sub_plan_controls.h"

#include "app/model/presets.h"
#include "app/model/words.h"
#include "core/plan/order_notes.h"

#include "app/bench/form.h"
#include "app/bench/made_view.h"
#include "app/bench/number_field.h"
#include "app/bench/rows_editor.h"
#include "app/bench/summary_view.h"
#include "app/bench/touch_list.h"
#include "app/window/theme.h"
#include "core/base/pattern.h"
#include "core/plan/dials.h"
#include "core/plan/key_edits.h"

#include <QCheckBox>
#include <QEvent>
#include <QGridLayout>
#include <QInputDialog>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QMessageBox>
#include <QPushButton>
#include <QScrollArea>
#include <QStyle>
#include <QToolButton>

#include <fmt/format.h>

#include <algorithm>

namespace arvesk {
namespace {

constexpr int kLeastForm = 200;  // px
constexpr int kLeastChart = 230;
constexpr int kScrollBar = 16;
constexpr int kSideBySide = 600;  // px: less has no room for a chart beside the form

/// What of the plan itself can be set here.
struct PlanControl {
  const char* id;
  const char* label;
  const char* help;
  Unit unit;
  double min, max, step;
  double (*get)(const PlanSettings&);
  void (*set)(PlanSettings&, double);
  bool canFollow = false;  // a formula over dials and time
};

const PlanControl kPlanControls[] = {
    {"plan_seed", QT_TRANSLATE_NOOP("plan", "Plan seed"),
     QT_TRANSLATE_NOOP("plan", "Another seed gives another picture of the same plan; nodes with a locked seed stay."),
     Unit::None, 0, 1e9, 1, [](const PlanSettings& s) { return static_cast<double>(s.seed); },
     [](PlanSettings& s, double v) { s.seed = static_cast<std::uint64_t>(v); }},
    {"draft_share", QT_TRANSLATE_NOOP("plan", "Draft share"),
     QT_TRANSLATE_NOOP("plan", "Share of the final points that draft shows; always the same ones."), Unit::Percent, 1,
     100, 1, [](const PlanSettings& s) { return s.draftShare * 100; },
     [](PlanSettings& s, double v) { s.draftShare = v / 100; }},
    {"sun_heading", QT_TRANSLATE_NOOP("plan", "Sun heading"),
     QT_TRANSLATE_NOOP("plan", "Where the sun stands, as seen from above."), Unit::Degree, -360, 360, 2,
     [](const PlanSettings& s) { return s.sunHeadingDeg; }, [](PlanSettings& s, double v) { s.sunHeadingDeg = v; },
     true},
    {"sun_height", QT_TRANSLATE_NOOP("plan", "Sun height"), QT_TRANSLATE_NOOP("plan", "Above the horizon."),
     Unit::Degree, 1, 90, 1, [](const PlanSettings& s) { return s.sunHeightDeg; },
     [](PlanSettings& s, double v) { s.sunHeightDeg = v; }, true},
    {"haze_distance", QT_TRANSLATE_NOOP("plan", "Haze"),
     QT_TRANSLATE_NOOP("plan", "Distance at which haze covers about two thirds."), Unit::Meter, 1, 1e6, 20,
     [](const PlanSettings& s) { return s.hazeDistance; }, [](PlanSettings& s, double v) { s.hazeDistance = v; }, true},
    {"water_level", QT_TRANSLATE_NOOP("plan", "Water level"),
     QT_TRANSLATE_NOOP("plan", "Height of the water, if there is any."), Unit::Meter, -1e5, 1e5, 0.1,
     [](const PlanSettings& s) { return s.waterLevel; },
     [](PlanSettings& s, double v) {
       s.waterLevel = v;
       s.hasWater = true;
     },
     true},
};

}  // namespace

BenchView::BenchView(PlanModel* model, QWidget* parent)
    : QWidget(parent),
      m_model(model),
      m_scroll(new QScrollArea(this)),
      m_problems(new QLabel(this)),
      m_remedy(new QPushButton(tr("Set down last"), this)),
      m_tryAgain(new QPushButton(tr("Try again"), this)),
      m_summaryScroll(new QScrollArea(this)),
      m_summary(new SummaryView),
      m_distribution(new DistributionView(this)),
      m_made(new MadeView(this)),
      m_touchList(new TouchList(model, this)) {
  setObjectName(QStringLiteral("bench"));
  setMinimumSize(330, 150);               // always the same: panes keep their sizes whatever is on the Bench
  m_scroll->setFocusPolicy(Qt::NoFocus);  // its controls take the focus, and it follows them
  m_scroll->setWidgetResizable(true);
  auto* holder = new QWidget;
  (new QVBoxLayout(holder))->setContentsMargins(0, 0, 0, 0);
  m_scroll->setWidget(holder);
  m_scroll->setMinimumSize(kLeastForm, 60);
  m_scroll->viewport()->installEventFilter(this);
  m_problems->setWordWrap(true);
  m_problems->setObjectName(QStringLiteral("problems"));
  m_remedy->setObjectName(QStringLiteral("remedy"));
  m_remedy->hide();
  connect(m_remedy, &QPushButton::clicked, this, &BenchView::remedy);
  auto* right = new QVBoxLayout;
  right->addWidget(m_problems);
  right->addWidget(m_remedy, 0, Qt::AlignLeft);
  m_tryAgain->setObjectName(QStringLiteral("try_again"));
  m_tryAgain->setToolTip(tr("Reads the files again that could not be read"));
  m_tryAgain->hide();
  connect(m_tryAgain, &QPushButton::clicked, this, &BenchView::tryAgainWanted);
  right->addWidget(m_tryAgain, 0, Qt::AlignLeft);
  m_summaryScroll->setWidget(m_summary);  // however many outputs there are, the Bench keeps its height
  m_summaryScroll->setWidgetResizable(true);
  buildCurves(*right);
  right->addWidget(m_summaryScroll, 1);
  right->addWidget(m_distribution, 1);
  right->addWidget(m_made, 1);
  right->addWidget(m_touchList, 1);
  m_sides = new QBoxLayout(QBoxLayout::LeftToRight, this);
  m_sides->setContentsMargins(12, 6, 4, 4);
  m_sides->addWidget(m_scroll, 6);
  m_sides->addLayout(right, 6);
  connect(m_model, &PlanModel::libraryChanged, this, &BenchView::refresh);
  connect(m_model, &PlanModel::changed, this, &BenchView::refresh);
  connect(m_model, &PlanModel::frameChanged, this, [this](bool isPassing) {
    if (!isPassing) refresh();
  });
  connect(m_distribution, &DistributionView::handlesMoved, this,
          [this](const std::vector<double>& values, int gesture) {
            const Node* node = m_model->plan().find(m_uid.toStdString());
            if (const ParamSpec* spec = node ? handleParam(*node) : nullptr)
              m_model->setParam(m_uids, spec->id, values,
                                QStringLiteral("%1.%2.%3").arg(m_uid, text(spec->id)).arg(gesture));
          });
  connect(m_distribution, &DistributionView::curveChanged, this,
          [this](const std::vector<double>& points, int gesture) {
            const Node* node = m_model->plan().find(m_uid.toStdString());
            if (const ParamSpec* spec = node ? curveParam(*node) : nullptr)
              m_model->setParam(m_uids, spec->id, points,
                                QStringLiteral("%1.%2.%3").arg(m_uid, text(spec->id)).arg(gesture));
          });
  connect(m_distribution, &DistributionView::piecesMoved, this, &BenchView::movePieces);
  rebuild();
}

void BenchView::showNodes(const QStringList& uids) {
  if (uids == m_uids) return;
  m_uids = uids;
  m_uid = uids.value(0);
  rebuild();
  Q_EMIT headingChanged();
}

QString BenchView::heading() const {
  const Node* node = m_model->plan().find(m_uid.toStdString());
  if (!node && !m_model->inside().empty()) return tr("the sub-plan %1").arg(m_model->insideTitles().last());
  if (!node) return tr("the plan");
  const NodeKind* kind = kindOf(*node);
  if (m_uids.size() > 1)
    return tr("%1 × %2, edits go to all").arg(m_uids.size()).arg(kind ? said(kind->label) : text(node->kind));
  return QStringLiteral("%1 · %2").arg(text(node->title), node->isInstance() ? tr("sub-plan")
                                                          : kind             ? said(kind->label)
                                                                             : text(node->kind));
}

bool BenchView::eventFilter(QObject* watched, QEvent* event) {
  if (watched == m_scroll->viewport() && event->type() == QEvent::Resize) place();
  return QWidget::eventFilter(watched, event);
}

void BenchView::resizeEvent(QResizeEvent* event) {
  QWidget::resizeEvent(event);
  // In a narrow Bench what is measured stands below the form.
  m_sides->setDirection(width() < kSideBySide ? QBoxLayout::TopToBottom : QBoxLayout::LeftToRight);
  place();
}

void BenchView::place() {
  // The form comes first: what is measured gives way down to what can be read.
  const int room = m_sides->direction() == QBoxLayout::LeftToRight ? width() - kLeastChart : width();
  m_scroll->setMinimumWidth(std::clamp(m_form->leastWidth() + kScrollBar, kLeastForm, std::max(kLeastForm, room)));
  m_form->placeFor(m_scroll->viewport()->width());
  m_scroll->widget()->layout()->activate();
}

void BenchView::rebuild() {
  m_rows.clear();
  m_groups.clear();
  m_refreshers.clear();
  m_fitToProps = nullptr;
  // A button of the old form may be what this was asked by, and is still at work (QToolButton writes into itself when
  // its click is over): it goes later, and says nothing more.
  // It stays where it is until then, nameless: taken out, all that is in it would get its style anew.
  if (QWidget* old = m_form) {
    for (QObject* child : old->findChildren<QObject*>()) {
      child->blockSignals(true);
      child->setObjectName({});
    }
    old->hide();
    m_scroll->widget()->layout()->removeWidget(old);
    old->deleteLater();
  }
  m_form = new Form(m_scroll->widget());
  m_scroll->widget()->layout()->addWidget(m_form);
  m_form->show();
  const Node* node = m_model->plan().find(m_uid.toStdString());
  const NodeKind* kind = node ? kindOf(*node) : nullptr;
  m_kind = node ? node->kind : std::string();
  m_declared = node ? node->made.kind : nullptr;
  m_props = m_model->plan().props;
  m_dialUids = dialUids();
  if (!node && !m_model->inside().empty()) {
    m_refreshers.push_back(addSubPlanControls(*m_model, *m_form, m_folder));
  } else if (!node) {
    buildPlanControls();
  } else if (!kind) {
    auto* words = new QLabel(tr("This kind of node is not known here. Saving keeps it as it is."), m_form);
    words->setWordWrap(true);
    m_form->add({}, {}, words, true);
  } else {
    for (const ParamSpec& spec : kind->params)
      if (spec.group.empty()) addParam(spec);
    if (handleParam(*node)) {
      auto* fit = new QToolButton(m_form);
      fit->setText(tr("Fit to data"));
      fit->setObjectName(QStringLiteral("fit_to_data"));
      fit->setToolTip(tr("Sets the range once from the distribution"));
      connect(fit, &QToolButton::clicked, this, &BenchView::fitToData);
      m_form->add({}, {}, fit, true);
    }
    if (kind->bandForProps) {
      m_fitToProps = new QToolButton(m_form);
      m_fitToProps->setText(tr("Fit to these props"));
      m_fitToProps->setObjectName(QStringLiteral("fit_to_props"));
      m_fitToProps->setToolTip(tr("Sets the distance once by how wide the props are that it is measured from"));
      connect(m_fitToProps, &QToolButton::clicked, this, &BenchView::fitToProps);
      m_form->add({}, {}, m_fitToProps, true);
    }
    if (kind->usesSeed) addSeedRow();
    for (const ParamSpec& spec : kind->params) {
      if (spec.group.empty()) continue;
      if (std::none_of(m_groups.begin(), m_groups.end(), [&](const Group& g) { return g.title == spec.group; }))
        addGroup(spec.group, *node, *kind);
    }
    if (!kind->params.empty() && !node->isInstance()) addValuesRow();
    if (node->isInstance()) addInstanceRow(*node);
  }
  showOffers();
  refresh();
  Q_EMIT rebuilt();
}

void BenchView::addParam(const ParamSpec& spec) {
  ParamEditor* editor = makeEditor(spec, m_model->plan(), m_pictures, m_folder, m_form);
  Row row{spec, 0, editor};
  const std::string id = spec.id;
  connect(editor, &ParamEditor::edited, this, [this, id](const ParamValue& value, int gesture) {
    m_model->setParam(m_uids, id, value, QStringLiteral("%1.%2.%3").arg(m_uid, text(id)).arg(gesture));
  });
  connect(editor, &ParamEditor::followed, this,
          [this, id](const QString& formula) { m_model->follow(m_uids, id, formula); });
  connect(editor, &ParamEditor::partFollowed, this, [this, id](int part, const QString& formula) {
    m_model->follow(m_uids, id + "." + std::to_string(part), formula);
  });
  editor->setContextMenuPolicy(Qt::CustomContextMenu);
  connect(editor, &QWidget::customContextMenuRequested, this,
          [this, editor, spec](const QPoint& at) { openParamMenu(spec, editor->mapToGlobal(at)); });
  row.row = m_form->add(said(spec.label), said(spec.help), editor, editor->isWide());
  if (!m_model->inside().empty() && m_uids.size() == 1) makeDraggable(spec, row.row);
  m_rows.push_back(row);
}

/// A heading that opens and closes its rows. It is open at first where the node has something there that is not usual.
void BenchView::addGroup(const std::string& title, const Node& node, const NodeKind& kind) {
  const auto isOfIt = [&](const ParamSpec& spec) { return spec.group == title; };
  const bool isUsed = std::any_of(kind.params.begin(), kind.params.end(), [&](const ParamSpec& spec) {
    return isOfIt(spec) && (node.value(spec) != spec.defaultValue || node.follows.contains(spec.id) ||
                            keyMark(node, spec) != KeyMark::None);
  });
  if (isUsed) m_opened[{kind.id, title}] = true;
  auto* head = new QToolButton(m_form);
  head->setText(said(title));
  head->setObjectName(QStringLiteral("group.") + text(title));
  head->setProperty("role", QStringLiteral("fold"));
  head->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
  head->setCheckable(true);
  head->setChecked(isOpen(title));
  head->setArrowType(isOpen(title) ? Qt::DownArrow : Qt::RightArrow);
  connect(head, &QToolButton::clicked, this, [this, head, title](bool isOn) {
    m_opened[{m_kind, title}] = isOn;
    head->setArrowType(isOn ? Qt::DownArrow : Qt::RightArrow);
    refresh();
  });
  m_groups.push_back({title, m_form->addHeading(head), head});
  for (const ParamSpec& spec : kind.params)
    if (isOfIt(spec)) addParam(spec);
}

bool BenchView::isOpen(const std::string& group) const {
  const auto it = m_opened.find({m_kind, group});
  return it != m_opened.end() && it->second;
}

/// Values kept under a name, put on again, or made those that new nodes of the kind begin with.
void BenchView::addValuesRow() {
  auto* button = new QToolButton(m_form);
  button->setText(tr("Values"));
  button->setObjectName(QStringLiteral("values"));
  button->setPopupMode(QToolButton::InstantPopup);
  button->setToolTip(tr("Keeps these values for other nodes of this kind, in every plan"));
  auto* menu = new QMenu(button);
  button->setMenu(menu);
  connect(menu, &QMenu::aboutToShow, this, [this, menu] {
    menu->clear();
    const Node* node = m_model->plan().find(m_uid.toStdString());
    const NodeKind* kind = node ? kindOf(*node) : nullptr;
    if (!kind) return;
    const QString label = said(kind->label);
    // Files, props and what was painted are the node's own, and stay.
    const auto put = [this](const ParamMap& values, const QString& words) {
      m_model->edit(words, [&](Plan& plan) {
        for (const QString& uid : m_uids)
          if (Node* n = plan.find(uid.toStdString()); n && n->kind == m_kind) {
            for (const auto& [id, value] : Presets::movable(m_kind, n->params)) n->params.erase(id);
            for (const auto& [id, value] : values) n->params[id] = value;
            n->follows.clear();
            n->keys.clear();
          }
      });
    };
    const auto keep = [this] {
      if (const Node* n = m_model->plan().find(m_uid.toStdString()))
        Presets::keep(m_model->plan(), *n, m_view ? m_view->quality : Quality::Draft, {});
    };
    const QStringList names = Presets::names(m_kind);
    for (const QString& name : names)
      menu->addAction(name, this, [this, name, put] {
        if (const auto values = Presets::values(m_kind, name))
          put(*values, tr("Values “%1”").arg(name));
        else
          Q_EMIT m_model->told(tr("! the values “%1” cannot be read; keep them anew").arg(name));
      });
    if (!names.isEmpty()) menu->addSeparator();
    menu->addAction(tr("Keep under a name…"), this, &BenchView::keepValues);
    menu->addAction(tr("Begin new “%1” with these").arg(label), this, keep);
    if (Presets::values(m_kind, {}))
      menu->addAction(tr("Begin new “%1” as the program does").arg(label), this,
                      [this] { Presets::forget(m_kind, {}); });
    menu->addAction(tr("Restore defaults"), this, [put] { put({}, tr("Restore defaults")); });
    if (names.isEmpty()) return;
    QMenu* gone = menu->addMenu(tr("Forget"));
    for (const QString& name : names) gone->addAction(name, this, [this, name] { Presets::forget(m_kind, name); });
  });
  m_form->add({}, {}, button, true);
}

void BenchView::keepValues() {
  const Node* node = m_model->plan().find(m_uid.toStdString());
  if (!node) return;
  bool isChosen = false;
  const QString name = QInputDialog::getText(this, tr("Keep values"), tr("Name"), QLineEdit::Normal, text(node->title),
                                             &isChosen)
                           .trimmed();
  if (!isChosen || name.isEmpty()) return;
  if (Presets::names(node->kind).contains(name) &&
      QMessageBox::question(this, tr("Keep values"),
                            tr("There are values under “%1” already. Replace them?").arg(name)) != QMessageBox::Yes)
    return;
  Presets::keep(m_model->plan(), *node, m_view ? m_view->quality : Quality::Draft, name);
}

void BenchView::addSeedRow() {
  auto* holder = new QWidget(m_form);
  auto* row = new QHBoxLayout(holder);
  row->setContentsMargins(0, 0, 0, 0);
  ParamSpec spec;
  spec.type = ParamType::Integer;
  spec.hard(0, 1e9).usual(0, 1000, 1);
  auto* field = new NumberField(spec, holder);
  field->setObjectName(QStringLiteral("seed"));
  field->setAccessibleName(tr("Seed"));
  field->setMaximumWidth(90);
  auto* next = new QToolButton(holder);
  next->setText(tr("Next seed"));
  next->setObjectName(QStringLiteral("next_seed"));
  auto* lock = new QCheckBox(tr("Locked"), holder);
  lock->setObjectName(QStringLiteral("lock_seed"));
  lock->setToolTip(tr("A locked seed does not change with the plan's"));
  row->addWidget(field);
  row->addWidget(next);
  row->addWidget(lock);
  row->addStretch(1);
  holder->setFocusProxy(field);
  const auto set = [this](std::uint64_t seed, const QString& key) {
    m_model->edit(
        tr("Seed"),
        [&](Plan& plan) {
          for (const QString& uid : m_uids)
            if (Node* n = plan.find(uid.toStdString())) n->seed = seed;
        },
        key);
  };
  connect(field, &NumberField::edited, this, [this, set](double v, int gesture) {
    set(static_cast<std::uint64_t>(v), QStringLiteral("%1.seed.%2").arg(m_uid).arg(gesture));
  });
  connect(next, &QToolButton::clicked, this, [this, set] {
    m_model->edit(tr("Seed"), [&](Plan& plan) {
      for (const QString& uid : m_uids)
        if (Node* n = plan.find(uid.toStdString())) ++n->seed;
    });
  });
  connect(lock, &QCheckBox::clicked, this, [this](bool isOn) {
    m_model->edit(tr("Lock seed"), [&](Plan& plan) {
      for (const QString& uid : m_uids)
        if (Node* n = plan.find(uid.toStdString())) n->isSeedLocked = isOn;
    });
  });
  m_refreshers.push_back([this, field, lock] {
    const Node* n = m_model->plan().find(m_uid.toStdString());
    if (!n) return;
    field->showValue(static_cast<double>(n->seed));
    lock->setChecked(n->isSeedLocked);
  });
  m_form->add(tr("Seed"), tr("Draws of this node; another seed draws anew"), holder, true);
}

void BenchView::buildPlanControls() {
  for (const PlanControl& control : kPlanControls) {
    ParamSpec spec;
    spec.type = control.step == 1 && control.unit == Unit::None ? ParamType::Integer : ParamType::Number;
    spec.unit = control.unit;
    spec.hard(control.min, control.max).usual(control.min, control.max, control.step);
    auto* field = new NumberField(spec, m_form);
    field->setObjectName(QLatin1String(control.id));
    field->setAccessibleName(said(control.label));
    connect(field, &NumberField::edited, this, [this, &control](double v, int gesture) {
      m_model->edit(
          said(control.label),
          [&](Plan& plan) {
            control.set(plan.settings, v);
            plan.settings.follows.erase(control.id);
          },
          QStringLiteral("%1.%2").arg(QLatin1String(control.id)).arg(gesture));
    });
    if (control.canFollow) {
      field->setCanFollow(true);
      connect(field, &NumberField::followed, this, [this, &control](const QString& formula) {
        m_model->edit(tr("Follow %1").arg(formula),
                      [&](Plan& plan) { plan.settings.follows[control.id] = formula.toStdString(); });
      });
    }
    m_refreshers.push_back([this, field, &control] {
      Plan now;  // what follows a formula shows what it gives
      now.settings = m_model->plan().settings;
      now.dials = m_model->plan().dials;
      now.frame = m_model->plan().frame;
      followSettings(now, m_view ? m_view->quality : Quality::Draft);
      field->showValue(control.get(now.settings));
      const auto formula = now.settings.follows.find(control.id);
      field->showFormula(formula == now.settings.follows.end() ? QString() : text(formula->second));
    });
    m_form->add(said(control.label), said(control.help), field, false);
  }
  auto* water = new QCheckBox(tr("On"), m_form);
  water->setObjectName(QStringLiteral("has_water"));
  connect(water, &QCheckBox::clicked, this,
          [this](bool isOn) { m_model->edit(tr("Water"), [&](Plan& plan) { plan.settings.hasWater = isOn; }); });
  m_refreshers.push_back([this, water] { water->setChecked(m_model->plan().settings.hasWater); });
  m_form->add(tr("Water"), tr("Site shows a level sheet of water"), water, false);
  buildDials();
}

std::vector<std::string> BenchView::dialUids() const {
  std::vector<std::string> uids{m_model->subPlanHere()};
  if (const SubPlan* here = m_model->document().findSubPlan(uids.front()))
    uids.push_back(std::to_string(here->checks.size()));
  for (const FrontValue& front : m_model->plan().fronts) uids.push_back(front.control.id);
  for (const Dial& d : m_model->plan().dials)
    uids.push_back(d.uid + (d.draft != d.final || m_splitDials.contains(d.uid) ? "/2" : ""));
  return uids;
}

/// One line per dial: its name, what it is in draft and in final; and a way to add and remove.
void BenchView::buildDials() {
  auto* holder = new QWidget(m_form);
  auto* rows = new QGridLayout(holder);
  rows->setContentsMargins(0, 0, 0, 0);
  rows->setHorizontalSpacing(6);
  rows->setVerticalSpacing(3);
  const auto change = [this](const std::string& uid, const std::function<void(Dial&)>& set, const QString& key) {
    m_model->edit(
        tr("Dial"),
        [&](Plan& plan) {
          for (Dial& d : plan.dials)
            if (d.uid == uid) set(d);
        },
        key);
  };
  int row = 0;
  for (const Dial& dial : m_model->plan().dials) {
    const std::string uid = dial.uid;
    auto* name = new QLineEdit(text(dial.name), holder);
    name->setObjectName(QStringLiteral("dial.%1.name").arg(row));
    name->setAccessibleName(tr("Name of the dial"));
    rows->addWidget(name, row, 0);
    connect(name, &QLineEdit::editingFinished, this, [this, name, uid, change] {
      if (!name->isModified()) return;
      name->setModified(false);
      const std::string fault = faultOfDialName(m_model->plan(), name->text().toStdString(), uid);
      name->setToolTip(said(fault));
      name->setProperty("fault", !fault.empty());
      name->style()->polish(name);
      if (fault.empty()) change(uid, [&](Dial& d) { d.name = name->text().toStdString(); }, {});
    });
    const auto number = [&](std::vector<double Dial::*> members, const QString& word, const char* id, int column) {
      ParamSpec spec;
      spec.hard(-1e9, 1e9).usual(0, 10, 0.05);
      auto* field = new NumberField(spec, holder);
      field->setObjectName(QStringLiteral("dial.%1.%2").arg(row).arg(QLatin1String(id)));
      field->setAccessibleName(tr("%1 value of %2").arg(word, text(dial.name)));
      auto* label = new QLabel(word, holder);
      label->setProperty("role", QStringLiteral("quiet"));
      rows->addWidget(label, row, column);
      rows->addWidget(field, row, column + 1);
      connect(field, &NumberField::edited, this,
              [this, change, uid, members, id = QString::fromLatin1(id)](double v, int gesture) {
                change(
                    uid,
                    [&](Dial& d) {
                      if (!d.keys.isEmpty()) return setValueAt(d.keys, momentOf(m_model->document()).frame, v);
                      for (double Dial::*member : members)
                        if (member) d.*member = v;
                    },
                    QStringLiteral("dial.%1.%2.%3").arg(text(uid), id).arg(gesture));
              });
      m_refreshers.push_back([this, field, uid, member = members.front()] {
        for (const Dial& d : m_model->plan().dials)
          if (d.uid == uid) field->showValue(valueNow(d, m_model->document()).value_or(d.*member));
      });
    };
    // One value, unless it was split; then the difference is there to be read.
    const bool isSplit = dial.draft != dial.final || m_splitDials.contains(uid);
    if (isSplit) m_splitDials.insert(uid);  // also while both are the same in passing
    number({&Dial::draft, isSplit ? nullptr : &Dial::final}, isSplit ? tr("draft") : tr("value"), "draft", 1);
    if (isSplit) number({&Dial::final}, tr("final"), "final", 3);
    auto* split = new QToolButton(holder);
    split->setText(isSplit ? tr("One value") : tr("Split"));
    split->setToolTip(isSplit ? tr("Draft takes the final value too") : tr("A value of its own for draft"));
    split->setObjectName(QStringLiteral("dial.%1.split").arg(row));
    rows->addWidget(split, row, isSplit ? 5 : 3);
    connect(split, &QToolButton::clicked, this, [this, uid, isSplit, change] {
      if (!isSplit) {
        m_splitDials.insert(uid);
        return refresh();
      }
      m_splitDials.erase(uid);
      change(uid, [](Dial& d) { d.draft = d.final; }, {});
      refresh();
    });
    addDialKey(*holder, *rows, row, uid);
    auto* remove = new QToolButton(holder);
    remove->setText(tr("Remove"));
    remove->setObjectName(QStringLiteral("dial.%1.remove").arg(row));
    rows->addWidget(remove, row, 7);
    connect(remove, &QToolButton::clicked, this, [this, uid] {
      m_model->edit(tr("Remove dial"),
                    [&](Plan& plan) { std::erase_if(plan.dials, [&](const Dial& d) { return d.uid == uid; }); });
    });
    ++row;
  }
  auto* add = new QToolButton(holder);
  add->setText(tr("Add dial"));
  add->setObjectName(QStringLiteral("add_dial"));
  add->setToolTip(
      tr("A number with a name; parameters follow it when its name, or a formula with it such as spacing * 2, is typed "
         "into them"));
  rows->addWidget(add, row, 0, 1, 8, Qt::AlignLeft);
  connect(add, &QToolButton::clicked, this, [this] {
    m_model->edit(tr("Add dial"), [](Plan& plan) {
      Dial dial;
      dial.uid = newUid();
      for (int n = 1; dial.name.empty() || !faultOfDialName(plan, dial.name, dial.uid).empty(); ++n)
        dial.name = fmt::format("dial{}", n);
      plan.dials.push_back(dial);
    });
  });
  m_form->add(tr("Dials"), tr("Named numbers of the plan that parameters follow"), holder, true);
}

const ParamSpec* BenchView::handleParam(const Node& node) const {
  const NodeKind* kind = kindOf(node);
  if (!kind || (kind->family != Family::Mask && kind->family != Family::Thin)) return nullptr;
  for (const ParamSpec& spec : kind->params)
    if (spec.type == ParamType::Band && isShown(*kind, spec, node.params)) return &spec;
  for (const ParamSpec& spec : kind->params)
    if (spec.id == "limit" && spec.type == ParamType::Range && isShown(*kind, spec, node.params)) return &spec;
  return nullptr;
}

const ParamSpec* BenchView::curveParam(const Node& node) const {
  const NodeKind* kind = kindOf(node);
  if (!kind) return nullptr;
  const auto it = std::find_if(kind->params.begin(), kind->params.end(), [&](const ParamSpec& spec) {
    return spec.type == ParamType::Curve && isShown(*kind, spec, node.params);
  });
  return it == kind->params.end() ? nullptr : &*it;
}

void BenchView::refresh() {
  // Nodes that are gone are so for good; the Plan says it too, once it has heard of it.
  m_uids.removeIf([this](const QString& uid) { return !m_model->plan().find(uid.toStdString()); });
  m_uid = m_uids.value(0);
  const Node* node = m_model->plan().find(m_uid.toStdString());
  const bool listsProps = std::any_of(m_rows.begin(), m_rows.end(),
                                      [](const Row& row) { return row.spec.type == ParamType::Props; });
  if ((node ? node->kind : std::string()) != m_kind || (node && node->made.kind != m_declared) ||
      (listsProps && m_props != m_model->plan().props) || (!node && dialUids() != m_dialUids)) {
    rebuild();
    return;
  }
  for (const auto& refresher : m_refreshers) refresher();
  if (node) {
    Node followed = *node;  // what follows a dial shows the dial's value
    followed.params = paramsNow(m_model->plan(), *node, m_view ? m_view->quality : Quality::Draft);
    for (const Group& group : m_groups)
      m_form->setShown(group.row, std::any_of(m_rows.begin(), m_rows.end(), [&](const Row& row) {
                         return row.spec.group == group.title && isShown(*kindOf(*node), row.spec, followed.params);
                       }));
    for (const Row& row : m_rows) {
      const bool isVisible = isShown(*kindOf(*node), row.spec, followed.params);
      m_form->setShown(row.row, isVisible && (row.spec.group.empty() || isOpen(row.spec.group)));
      row.editor->show(followed.value(row.spec));
      const KeyMark mark = keyMark(*node, row.spec);
      m_form->showMark(row.row, row.spec.id, mark != KeyMark::None, mark == KeyMark::Here);
      const auto found = node->follows.find(row.spec.id);
      const QString formula = found == node->follows.end() ? QString() : text(found->second);
      row.editor->showFormula(formula);
      for (std::size_t part = 0; part < 4; ++part) {
        const auto own = node->follows.find(row.spec.id + "." + std::to_string(part));
        row.editor->showPartFormula(part, own == node->follows.end() ? formula : text(own->second));
      }
      // What cannot show what it follows only shows its value.
      row.editor->setEnabled(formula.isEmpty() || row.editor->showsFormula());
      row.editor->setToolTip(
          row.editor->isEnabled() ? QString() : tr("Follows the front control “%1” of the sub-plan").arg(formula));
    }
  }
  place();
  showResults(m_view);
  Q_EMIT headingChanged();
}

/// Of several inputs only those whose points were moved get one.
void BenchView::remedy() {
  const Node* node = m_model->plan().find(m_uid.toStdString());
  const NodeKind* kind = node ? kindOf(*node) : nullptr;
  if (!kind || kind->inputs.empty() || !m_view) return;
  if (m_does == Remedy::MoveAfterDress) {
    const std::string dress = dressedBy(m_view->opened(), m_view->evaluation, node->uid);
    return m_model->moveAfter(m_uid, text(dress));
  }
  if (m_does == Remedy::CloseBody) return closeBody();
  std::vector<Link> moved;
  const auto links = node->inputs.find(kind->inputs.front().id);
  if (links == node->inputs.end()) return;
  for (const Link& link : links->second) {
    const Node* before = m_model->plan().find(link.node);
    const NodeKind* beforeKind = before ? kindOf(*before) : nullptr;
    const auto values = m_view->evaluation.values.find(link.node);
    const int output = beforeKind ? beforeKind->outputIndex(link.output) : -1;
    if (output < 0 || values == m_view->evaluation.values.end()) continue;
    const auto* points = std::get_if<PointsPtr>(&values->second.at(static_cast<std::size_t>(output)));
    if (points && *points && (*points)->movedCount() > 0) moved.push_back(link);
  }
  m_model->setDownLast(m_uid, moved);
}

/// By voxels fine enough for what it is, and no finer than is quick.
void BenchView::closeBody() {
  const Node* node = m_model->plan().find(m_uid.toStdString());
  const auto links = node->inputs.find(kindOf(*node)->inputs.front().id);
  if (links == node->inputs.end() || links->second.empty()) return;
  Box3 bounds;
  for (const Link& link : links->second) {
    const auto values = m_view->evaluation.values.find(link.node);
    if (values == m_view->evaluation.values.end()) continue;
    for (const Value& value : values->second)
      if (const auto* surface = std::get_if<SurfacePtr>(&value); surface && *surface) bounds.add((*surface)->bounds());
  }
  constexpr double kAcross = 150;
  const double across = bounds.isEmpty() ? 0 : static_cast<double>(glm::length(bounds.extent()));
  m_model->closeBody(m_uid, std::max(0.0005, QString::number(across / kAcross, 'g', 2).toDouble()));
}

void BenchView::showMasks(const PlanPicturesPtr& masks) {
  m_masks = masks;
  const Node* node = m_model->plan().find(m_uid.toStdString());
  const NodeKind* kind = node ? kindOf(*node) : nullptr;
  if (kind && kind->family == Family::Mask) m_distribution->showHistogram(maskHistogram(), true);
  showOffers();
  showMade();
}

/// What the texts may name, and whether there are props to fit to.
void BenchView::showOffers() {
  const auto it = m_masks ? m_masks->find(m_uid.toStdString()) : PlanPictures::const_iterator();
  const bool isThere = m_masks && it != m_masks->end();
  for (const Row& row : m_rows) {
    const auto names = isThere ? it->second.names.find(row.spec.id) : decltype(it->second.names.find(row.spec.id))();
    row.editor->offer(isThere && names != it->second.names.end() ? names->second : std::vector<NameCount>());
  }
  if (m_fitToProps) m_fitToProps->setEnabled(isThere && it->second.bandForProps.has_value());
}

void BenchView::fitToProps() {
  const Node* node = m_model->plan().find(m_uid.toStdString());
  const ParamSpec* spec = node ? handleParam(*node) : nullptr;
  const auto it = m_masks ? m_masks->find(m_uid.toStdString()) : PlanPictures::const_iterator();
  if (!spec || spec->type != ParamType::Band || !m_masks || it == m_masks->end() || !it->second.bandForProps) return;
  const Band& b = *it->second.bandForProps;
  const auto held = [&](float v) { return std::clamp(static_cast<double>(v), spec->hardMin, spec->hardMax); };
  m_model->setParam(m_uids, spec->id,
                    std::vector<double>{held(b.fadeIn), held(b.fullFrom), held(b.fullTo), held(b.fadeOut)});
}

/// What a node that measures nothing makes.
void BenchView::showMade() {
  const auto made = m_masks ? m_masks->find(m_uid.toStdString()) : PlanPictures::const_iterator();
  const bool isThere = m_masks && made != m_masks->end();
  m_made->show(isThere ? made->second : PlanPicture());
  const Node* node = m_model->plan().find(m_uid.toStdString());
  const NodeKind* kind = node ? kindOf(*node) : nullptr;
  const bool isTouched = kind && std::any_of(kind->params.begin(), kind->params.end(),
                                             [](const ParamSpec& p) { return p.type == ParamType::Touches; });
  const bool isMade = !isTouched && isThere && !m_distribution->hasChart() && !m_uid.isEmpty() &&
                      !made->second.facts.empty();
  m_made->setVisible(isMade);
  m_touchList->setVisible(isTouched);
  m_distribution->setVisible(!m_uid.isEmpty() && !isMade && !isTouched);
  if (isTouched) showTouchRows();
  showCurves();
}

void BenchView::showTouches(const std::shared_ptr<const TouchFacts>& touches) {
  m_touches = touches;
  if (m_touchList->isVisibleTo(this)) showTouchRows();
}

void BenchView::showTouchRows() {
  const auto rows = m_touches ? m_touches->rows.find(m_uid.toStdString()) : decltype(m_touches->rows.end())();
  m_touchList->showRows(m_uid, m_touches && rows != m_touches->rows.end() ? rows->second : std::vector<TouchRow>(),
                        m_view);
}

std::shared_ptr<const Histogram> BenchView::maskHistogram() const {
  const auto mask = m_masks ? m_masks->find(m_uid.toStdString()) : PlanPictures::const_iterator();
  return m_masks && mask != m_masks->end() ? mask->second.histogram : nullptr;
}

void BenchView::showResults(const EvalViewPtr& view) {
  m_view = view;
  const Node* node = m_model->plan().find(m_uid.toStdString());
  std::shared_ptr<const Histogram> histogram;
  QString problems;
  QString said;
  m_does = Remedy::None;
  if (node && view) {
    const auto report = view->evaluation.reports.find(node->uid);
    if (report != view->evaluation.reports.end()) {
      histogram = report->second.histogram;
      said = arvesk::said(report->second.said);
      for (const Problem& p : report->second.problems) {
        if (p.remedy != Remedy::None) m_does = p.remedy;
        problems += (problems.isEmpty() ? QString() : QStringLiteral("\n")) + sentencesOf(p);
      }
    }
    if (kindOf(*node) && kindOf(*node)->family == Family::Mask) histogram = maskHistogram();
  }
  m_problems->setText(problems);
  m_problems->setVisible(!problems.isEmpty());
  m_remedy->setVisible(m_does != Remedy::None);
  m_remedy->setText(m_does == Remedy::MoveAfterDress ? tr("Move below the props")
                    : m_does == Remedy::CloseBody    ? tr("Close it with Solid")
                                                     : tr("Set down last"));
  const bool isFailed = node && view && view->evaluation.reports.contains(node->uid) &&
                        view->evaluation.reports.at(node->uid).state == NodeState::Failed;
  m_tryAgain->setVisible(isFailed);
  const Theme& t = Theme::current();
  m_problems->setStyleSheet(QStringLiteral("color: %1").arg((isFailed ? t.trouble : t.warning).name()));
  const NodeKind* kind = node ? kindOf(*node) : nullptr;
  m_summaryScroll->setVisible(node == nullptr);
  if (!node) m_summary->show(view);
  m_distribution->showWords(said);
  m_distribution->showHistogram(histogram, kind && kind->family == Family::Mask);
  const ParamSpec* spec = node ? handleParam(*node) : nullptr;
  if (spec)
    m_distribution->showHandles(std::get<std::vector<double>>(node->value(*spec)), spec->hardMin, spec->hardMax);
  else
    m_distribution->showHandles({}, 0, 1);
  const ParamSpec* curve = node ? curveParam(*node) : nullptr;
  m_distribution->showCurve(curve ? std::get<std::vector<double>>(node->value(*curve)) : std::vector<double>());
  m_distribution->showPieces(node ? piecesOf(*node) : std::vector<ChartPiece>());
  showMade();
}

void BenchView::updatePictures() {
  for (RowsEditor* rows : findChildren<RowsEditor*>()) rows->updatePictures();
  if (const Node* node = m_model->plan().find(m_uid.toStdString())) m_distribution->showPieces(piecesOf(*node));
}

/// The text that gives props to ranges of a mask, where the node goes by one.
const ParamSpec* BenchView::rangesParam(const Node& node) const {
  const NodeKind* kind = kindOf(node);
  if (!kind) return nullptr;
  for (const ParamSpec& spec : kind->params)
    if (spec.form == TextForm::RangeRules && isShown(*kind, spec, node.params)) return &spec;
  return nullptr;
}

std::vector<ChartPiece> BenchView::piecesOf(const Node& node) const {
  const ParamSpec* spec = rangesParam(node);
  if (!spec) return {};
  std::vector<ChartPiece> out;
  for (const TextPart& part : partsOf(text(std::get<std::string>(node.value(*spec))))) {
    const auto [from, to] = rangeIn(part.left);
    ChartPiece piece{from, to, {}, part.right};
    // The first prop that the row means stands for all of them.
    for (const PropEntry& p : m_model->plan().props)
      if (piece.picture.isNull() && m_pictures && matches(part.right.toStdString(), p.name))
        piece.picture = m_pictures(p.uid);
    out.push_back(std::move(piece));
  }
  return out;
}

void BenchView::movePieces(const std::vector<double>& ends, int gesture) {
  const Node* node = m_model->plan().find(m_uid.toStdString());
  const ParamSpec* spec = node ? rangesParam(*node) : nullptr;
  if (!spec) return;
  std::vector<TextPart> parts = partsOf(text(std::get<std::string>(node->value(*spec))));
  for (std::size_t i = 0; i < parts.size() && 2 * i + 1 < ends.size(); ++i)
    parts[i].left = rangeOf(ends[2 * i], ends[2 * i + 1]);
  m_model->setParam(m_uids, spec->id, joined(parts, TextForm::RangeRules).toStdString(),
                    QStringLiteral("%1.%2.%3").arg(m_uid, text(spec->id)).arg(gesture));
}

void BenchView::fitToData() {
  const Node* node = m_model->plan().find(m_uid.toStdString());
  const ParamSpec* spec = node ? handleParam(*node) : nullptr;
  const Histogram* h = m_distribution->histogram();
  if (!spec || !h) return;
  // From the 5th to the 95th percent of the points, soft edges out to the first and last of them.
  std::vector<double> edges;
  const double all = static_cast<double>(h->keptCount + h->leftCount);
  for (const double share : {0.0, 0.05, 0.95, 1.0}) {
    double sum = 0;
    std::size_t bin = 0;
    while (bin + 1 < h->kept.size() &&
           sum + static_cast<double>(h->kept[bin] + h->left[bin]) < std::max(1.0, share * all)) {
      sum += static_cast<double>(h->kept[bin] + h->left[bin]);
      ++bin;
    }
    const double at = static_cast<double>(bin) + (share > 0.5 ? 1 : 0);
    edges.push_back(std::clamp(
        static_cast<double>(h->from) + at / static_cast<double>(h->kept.size()) * static_cast<double>(h->to - h->from),
        spec->hardMin, spec->hardMax));
  }
  m_model->setParam(m_uids, spec->id, spec->type == ParamType::Range ? std::vector<double>{edges[1], edges[2]} : edges);
}

}  // namespace arvesk
