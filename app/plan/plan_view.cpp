#include "app/plan/plan_view.h"

#include "app/model/words.h"
#include "app/plan/pick_list.h"
#include "app/plan/plan_access.h"

#include "app/window/theme.h"
#include "core/formats/plan_file.h"

#include <QApplication>
#include <QClipboard>
#include <QHelpEvent>
#include <QLabel>
#include <QLineEdit>
#include <QPlainTextEdit>
#include <QScrollBar>
#include <QTimer>
#include <QToolTip>

#include <algorithm>

namespace arvesk {
namespace {

/// A plan of a thousand cards still fits on the screen, as ticks.
constexpr double kLeastZoom = 0.04;

}  // namespace

PlanView::PlanView(PlanModel* model, QWidget* parent)
    : QAbstractScrollArea(withPlanAccess(parent)),
      m_model(model),
      m_find(new FindField(viewport())),
      m_picks(new PickList(viewport())),
      m_rename(new QLineEdit(viewport())),
      m_search(new QLineEdit(viewport())),
      m_searchCount(new QLabel(m_search)),
      m_paperEdit(new QPlainTextEdit(viewport())) {
  setObjectName(QStringLiteral("plan_view"));
  setAccessibleName(tr("Plan"));
  setFrameShape(QFrame::NoFrame);
  setFocusPolicy(Qt::StrongFocus);
  viewport()->setMouseTracking(true);
  viewport()->setFocusProxy(this);
  setContextMenuPolicy(Qt::DefaultContextMenu);
  m_rename->hide();
  m_rename->setObjectName(QStringLiteral("rename_line"));
  connect(m_rename, &QLineEdit::editingFinished, this, [this] {
    if (!m_rename->isVisible()) return;
    m_rename->hide();
    if (m_selection.size() == 1 && !m_rename->text().trimmed().isEmpty())
      m_model->rename(m_selection.first(), m_rename->text().trimmed());
    setFocus();
  });
  m_search->hide();
  m_search->setObjectName(QStringLiteral("plan_search"));
  m_search->setAccessibleName(tr("Find in plan"));
  m_search->setPlaceholderText(tr("Find in plan: title or kind · Enter next"));
  m_search->installEventFilter(this);
  m_searchCount->setProperty("role", QStringLiteral("quiet"));
  m_searchCount->setObjectName(QStringLiteral("plan_search_count"));
  connect(m_search, &QLineEdit::textChanged, this, &PlanView::searchPlan);
  m_paperEdit->hide();
  m_paperEdit->setObjectName(QStringLiteral("paper_edit"));
  m_paperEdit->setTabChangesFocus(true);
  m_paperEdit->installEventFilter(this);
  setAcceptDrops(true);
  m_find->offer(
      [this] {
        FindField::OwnKinds own;
        for (auto& [kind, category, tool] : m_model->offeredSubPlans()) own.push_back({kind, category, tool});
        return own;
      },
      [this] { return !m_model->inside().empty(); });
  m_find->setAround([this](const NodeKind& kind, const FindField::Chosen& chosen) {
    const LibraryToolPtr tool = m_model->libraryTool(kind);
    if (!tool) return chosen(kind);
    m_model->undoStack().beginMacro(tr("Add %1").arg(text(kind.label)));
    if (const auto own = m_model->bring(*tool)) chosen(*own);
    m_model->undoStack().endMacro();
  });
  connect(m_model, &PlanModel::changed, this, &PlanView::rebuild);
  connect(m_model, &PlanModel::frameChanged, this, [this](bool isPassing) {
    if (!isPassing) rebuild();
  });
  // What was seen of others goes; where one looks is set once the layout is there.
  const auto lookAnew = [this](bool& flag) {
    m_folded.clear();
    m_ribbon.reset();
    m_paperItem.clear();
    flag = true;
  };
  connect(m_model, &PlanModel::moved, this, [this, lookAnew] { lookAnew(m_isMoved); });
  connect(m_model, &PlanModel::wasReset, this, [this, lookAnew] { lookAnew(m_isReset); });
  rebuild();
}

bool PlanView::eventFilter(QObject* watched, QEvent* event) {
  if (watched == m_paperEdit) {
    if (event->type() == QEvent::FocusOut) commitPaper();
    if (event->type() == QEvent::KeyPress) {
      const auto* key = static_cast<QKeyEvent*>(event);
      const bool isBed = m_paperEdit->maximumHeight() < 40;  // a bed's title is one line
      if ((key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter) &&
          (isBed || (key->modifiers() & Qt::ControlModifier))) {
        setFocus();
        return true;
      }
      if (key->key() == Qt::Key_Escape) {
        m_paperEdit->hide();
        setFocus();
        return true;
      }
    }
  }
  if (watched == m_search && event->type() == QEvent::KeyPress) {
    const auto* key = static_cast<QKeyEvent*>(event);
    if (key->key() == Qt::Key_Escape) {
      m_search->hide();
      m_foundUids.clear();
      setFocus();
      viewport()->update();
      return true;
    }
    if (key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter || key->key() == Qt::Key_Down) {
      searchNext(key->modifiers() & Qt::ShiftModifier ? -1 : 1);
      return true;
    }
    if (key->key() == Qt::Key_Up) {
      searchNext(-1);
      return true;
    }
  }
  return QAbstractScrollArea::eventFilter(watched, event);
}

void PlanView::rebuild() {
  const QStringList before = m_selection;
  m_selection.erase(std::remove_if(m_selection.begin(), m_selection.end(),
                                   [&](const QString& uid) { return !m_model->plan().find(uid.toStdString()); }),
                    m_selection.end());
  layOut();
  updateScrollBars();
  if (std::exchange(m_isReset, false)) {  // another plan is read from its start
    m_zoom = 1;
    updateScrollBars();
    horizontalScrollBar()->setValue(horizontalScrollBar()->minimum());
    verticalScrollBar()->setValue(verticalScrollBar()->minimum());
  }
  if (std::exchange(m_isMoved, false)) {
    fitAll();
    QTimer::singleShot(0, this, &PlanView::fitAll);  // the line of names takes or leaves its room only now
  }
  viewport()->update();
  if (m_selection != before) Q_EMIT selectionChanged();
}

void PlanView::layOut() {
  m_layout = layoutPlan(m_model->plan(), m_view.get(), m_moved, m_folded);
  // While something is dragged blocks are made anew only where they are what is dragged.
  if (m_moved.empty() || isOverview()) m_overview = overviewOf(m_model->plan(), m_layout, m_view.get());
}

QRectF PlanView::inSight() const { return {toPlan({0, 0}), QSizeF(viewport()->size()) / m_zoom}; }

QPoint PlanView::blockPlace(const QString& uid) const {
  for (const PlanBlock& b : m_overview.blocks)
    if (text(b.uid) == uid) return toView(b.rect.center()).toPoint();
  return {-1, -1};
}

void PlanView::updateScrollBars() {
  const QRectF all = m_layout.bounds.adjusted(-12, -16, 14, isOverview() ? 16 : 160);
  const auto set = [this](QScrollBar* bar, double from, double to, int page) {
    bar->setRange(static_cast<int>(from * m_zoom),
                  std::max(static_cast<int>(from * m_zoom), static_cast<int>(to * m_zoom) - page));
    bar->setPageStep(page);
    bar->setSingleStep(20);
  };
  set(horizontalScrollBar(), all.left(), all.right(), viewport()->width());
  set(verticalScrollBar(), all.top(), all.bottom(), viewport()->height());
}

QPointF PlanView::toPlan(const QPoint& p) const {
  return (QPointF(p) + QPointF(horizontalScrollBar()->value(), verticalScrollBar()->value())) / m_zoom;
}
QPointF PlanView::toView(const QPointF& p) const {
  return p * m_zoom - QPointF(horizontalScrollBar()->value(), verticalScrollBar()->value());
}

void PlanView::select(const QStringList& uids) {
  m_ribbon.reset();
  m_paperItem.clear();
  if (uids != m_selection) {
    m_selection = uids;
    tellFocus(*this);
    Q_EMIT selectionChanged();
  }
  viewport()->update();
}

void PlanView::selectAll() {
  QStringList all;
  for (const Node& n : m_model->plan().nodes) all.push_back(text(n.uid));
  select(all);
}

void PlanView::showResults(const EvalViewPtr& view) {
  m_view = view;
  rebuild();
}

void PlanView::showWork(const std::map<std::string, AtWork>& nodes) {
  if (nodes == m_work) return;
  m_work = nodes;
  viewport()->update();
}

void PlanView::showMasks(const PlanPicturesPtr& masks) {
  m_masks = masks;
  viewport()->update();
}

void PlanView::setInSite(const QString& uid) {
  m_inSite = uid;
  viewport()->update();
}

QPoint PlanView::centerOf(const QString& uid) const {
  if (const PlanCard* c = m_layout.card(uid.toStdString()))
    return toView(QPointF(c->rect.left() + 60, c->rect.top() + 14)).toPoint();
  for (const PlanTag& t : m_layout.tags)
    if (text(t.uid) == uid) return toView(t.rect.center()).toPoint();
  return {-1, -1};
}

QPoint PlanView::slotPlace(const QString& uid, const std::string& slotId) const {
  for (const PlanSlot& s : m_layout.openings)
    if (text(s.uid) == uid && s.id == slotId) return toView(s.place).toPoint();
  // "points" names both an input and an output of many kinds; "out:points" asks for the output.
  for (const PlanSlot& s : m_layout.openings)
    if (text(s.uid) == uid && s.isOutput && "out:" + s.id == slotId) return toView(s.place).toPoint();
  return {-1, -1};
}

QPoint PlanView::ribbonPlace(const QString& from, const QString& to) const {
  for (const PlanRibbon& r : m_layout.ribbons)
    if (text(r.link.node) == from && text(r.to) == to) return toView(r.path.pointAtPercent(0.5)).toPoint();
  return {-1, -1};
}

const PlanCard* PlanView::cardAt(const QPointF& p) const {
  if (isOverview()) {
    const PlanBlock* block = m_overview.at(p);
    return block && !block->isBed ? m_layout.card(block->uid) : nullptr;
  }
  for (auto it = m_layout.cards.rbegin(); it != m_layout.cards.rend(); ++it)
    if (it->rect.contains(p)) return &*it;
  return nullptr;
}
const PlanTag* PlanView::tagAt(const QPointF& p) const {
  if (isOverview()) return nullptr;
  for (auto it = m_layout.tags.rbegin(); it != m_layout.tags.rend(); ++it)
    if (it->rect.contains(p)) return &*it;
  return nullptr;
}
/// A note anywhere, a bed by its title or its corner: the rest of a bed is paper.
const PlanPaper* PlanView::paperAt(const QPointF& p) const {
  if (isOverview()) {
    const PlanBlock* block = m_overview.at(p);
    return block && block->isBed ? m_layout.paperItem(block->uid) : nullptr;
  }
  for (auto it = m_layout.paper.rbegin(); it != m_layout.paper.rend(); ++it)
    if (it->sort == PaperItem::Sort::Note ? it->rect.contains(p) : it->title().contains(p) || it->grip().contains(p))
      return &*it;
  return nullptr;
}
const PlanStub* PlanView::stubAt(const QPointF& p) const {
  if (isOverview()) return nullptr;
  for (const PlanStub& s : m_layout.stubs)
    if (s.rect.adjusted(-4, 0, 4, 4).contains(p)) return &s;
  return nullptr;
}
QPoint PlanView::paperPlace(const QString& uid) const {
  const PlanPaper* item = m_layout.paperItem(uid.toStdString());
  return item ? toView(item->title().center()).toPoint() : QPoint(-1, -1);
}
const PlanRibbon* PlanView::ribbonAt(const QPointF& p) const {
  if (isOverview()) return nullptr;
  for (const PlanRibbon& r : m_layout.ribbons)
    if (hitArea(r).contains(p)) return &r;
  return nullptr;
}
const PlanSlot* PlanView::slotAt(const QPointF& p, bool isOutput) const {
  if (isOverview()) return nullptr;
  for (const PlanSlot& s : m_layout.openings)
    if (s.isOutput == isOutput && QLineF(s.place, p).length() < 9) return &s;
  return nullptr;
}
/// The fitting input nearest to a dragged link's end.
const PlanSlot* PlanView::targetAt(const QPointF& p) const {
  const PlanSlot* best = nullptr;
  double reach = 24 / m_zoom;
  for (const PlanSlot& s : m_layout.openings) {
    if (s.isOutput || !s.takes(m_linkType) || text(s.uid) == m_linkFrom) continue;
    const double d = QLineF(s.place, p).length();
    if (d < reach) {
      reach = d;
      best = &s;
    }
  }
  if (best) return best;
  // Let go anywhere on a card: its first fitting input.
  if (const PlanCard* card = cardAt(p))
    for (const PlanSlot& s : m_layout.openings)
      if (!s.isOutput && s.uid == card->uid && s.takes(m_linkType) && text(s.uid) != m_linkFrom) return &s;
  return nullptr;
}

void PlanView::paintEvent(QPaintEvent* event) {
  const Theme& t = Theme::current();
  QPainter p(viewport());
  p.setRenderHint(QPainter::Antialiasing);
  p.fillRect(viewport()->rect(), t.paper);
  p.translate(-horizontalScrollBar()->value(), -verticalScrollBar()->value());
  p.scale(m_zoom, m_zoom);
  if (isOverview()) {
    OverviewPaintState state;
    state.zoom = m_zoom;
    state.lit = m_selection;
    if (m_search->isVisible()) state.lit += m_foundUids;
    state.paperItem = m_paperItem;
    state.pictures = m_masks.get();
    state.work = &m_work;
    paintOverview(p, m_overview, state);
  } else {
    PlanPaintState state;
    state.detail = detail();
    state.zoom = m_zoom;
    state.seen = p.worldTransform().inverted().mapRect(QRectF(event->rect()));
    state.selected = m_selection;
    state.inSite = m_inSite;
    state.lit = m_lit;
    if (m_search->isVisible()) state.found = m_foundUids;
    state.paperItem = m_paperItem;
    state.selectedRibbon = m_ribbon ? &*m_ribbon : nullptr;
    state.masks = m_masks.get();
    state.work = &m_work;
    paintPlan(p, m_layout, state);
  }
  if (m_drag == Drag::Link && m_hasMoved) {
    const QPointF end = toPlan(m_now);
    const PlanSlot* target = targetAt(end);
    for (const PlanSlot& s : m_layout.openings) {
      if (s.isOutput || !s.takes(m_linkType) || text(s.uid) == m_linkFrom) continue;
      const QString why = m_model->whyNot(m_linkFrom, m_linkOutput, text(s.uid), s.id);
      p.setPen(QPen(why.isEmpty() ? t.accent : t.quiet, 1));
      p.setBrush(target == &s ? t.accent : t.card);
      p.drawEllipse(s.place, 6, 6);
      QFont f = font();
      f.setPixelSize(11);
      p.setFont(f);
      const QString label = why.isEmpty() ? s.label : why;
      const double w = QFontMetricsF(f).horizontalAdvance(label) + 10;
      const QRectF pill(s.place.x() + 9, s.place.y() - 9, w, 18);
      p.setPen(QPen(t.rule, 1));
      p.setBrush(t.card);
      p.drawRoundedRect(pill, 4, 4);
      p.setPen(why.isEmpty() ? t.accent : t.quiet);
      p.drawText(pill, Qt::AlignCenter, label);
    }
    p.setPen(QPen(t.accent, 2, Qt::DashLine));
    p.drawLine(m_pressedPlan, end);
  }
  if (m_drag == Drag::Band && m_hasMoved) {
    p.setPen(QPen(t.accent, 1));
    p.setBrush(QColor(t.accent.red(), t.accent.green(), t.accent.blue(), 28));
    p.drawRect(QRectF(m_pressedPlan, toPlan(m_now)).normalized());
  }
  m_map.place(isOverview() ? QRectF() : m_layout.bounds, inSight(), viewport()->size());
  m_map.paint(p, m_overview);
  if (m_layout.cards.empty()) {
    p.resetTransform();
    p.setPen(t.quiet);
    p.drawText(viewport()->rect().adjusted(40, 0, -40, 0), Qt::AlignCenter | Qt::TextWordWrap,
               tr("An empty plan.\n\nPress Enter to add a node, or drop a height image or a mesh file here."));
  }
}

void PlanView::foldSelected() {
  if (m_selection.size() != 1) return;
  const std::string uid = m_selection.first().toStdString();
  const PlanCard* card = m_layout.card(uid);
  if (!card) return;
  if (!card->folded.empty()) {
    m_model->edit(tr("Unfold"), [&](Plan& plan) { plan.find(uid)->isFolded = false; });
    return;
  }
  // The head of the stretch that the card is in: the farthest card above from which the chain reaches it.
  std::string head = uid;
  for (const Node& n : m_model->plan().nodes) {
    const std::vector<std::string> chain = chainFrom(m_model->plan(), n.uid);
    if (std::find(chain.begin(), chain.end(), head) != chain.end() &&
        chain.size() > chainFrom(m_model->plan(), head).size())
      head = n.uid;
  }
  if (chainFrom(m_model->plan(), head).size() < 2) return;
  m_model->edit(tr("Fold"), [&](Plan& plan) { plan.find(head)->isFolded = true; });
  select({text(head)});
}

void PlanView::makeSubPlan() {
  QStringList cards = m_selection;
  for (const QString& uid : m_selection)  // what is folded into them comes along
    if (const PlanCard* c = m_layout.card(uid.toStdString()))
      for (const std::string& inside : c->folded)
        if (!cards.contains(text(inside))) cards << text(inside);
  const QString made = m_model->makeSubPlan(cards);
  if (made.isEmpty()) return;
  select({made});
  renameSelected();
}

void PlanView::takeApart() {
  if (m_selection.size() != 1) return;
  const QStringList cards = m_model->takeApart(m_selection.first());
  if (!cards.isEmpty()) select(cards);
}

void PlanView::goInside() {
  if (m_selection.size() == 1) m_model->enter(m_selection.first());
}

void PlanView::goOutside() {
  if (m_model->inside().empty()) return;
  const std::string from = m_model->inside().back();
  m_model->leave(m_model->inside().size() - 1);
  reveal(text(m_model->plan().path + from));
}

void PlanView::openFindField() {
  const QString after = m_selection.size() == 1 ? m_selection.first() : QString();
  const QPoint at = after.isEmpty() ? viewport()->rect().center() - QPoint(165, 200) : centerOf(after) + QPoint(0, 60);
  const auto add = [this, after](const NodeKind& kind) {
    const bool isDockKind = gives(kind, ValueType::Mask) || gives(kind, ValueType::Kit);
    if (after.isEmpty()) {
      addAt(kind, inSight().center());
      return;
    }
    if (isDockKind) {
      // A mask or kit goes to the first free slot that takes it.
      for (const PlanSlot& s : m_layout.openings)
        if (text(s.uid) == after && !s.isOutput && s.isFree && gives(kind, s.type)) {
          select({m_model->addInto(kind, after, s.id)});
          return;
        }
    }
    select({m_model->addAfter(kind, after)});
  };
  const Node* selected = m_model->plan().find(after.toStdString());
  const NodeKind* from = selected ? kindOf(*selected) : nullptr;
  m_find->open(at, nullptr, add, [from](const NodeKind& kind) {
    return from && !from->outputs.empty() && takesMain(kind, from->outputs.front().type);
  });
}

QString PlanView::addAt(const NodeKind& kind, const QPointF& middle) {
  const CardRoom room{104, 104};
  const PlanRect wanted{middle.x() - room.width / 2 - room.left, middle.y() - room.height / 2,
                        room.left + room.width + room.right, room.height};
  // The first card stands where a column begins.
  const PlanRect place = m_layout.cards.empty() ? PlanRect{0, 20, 0, 0}
                                                : freePlace(takenPlaces(m_model->plan(), roomsNow(), {}), wanted);
  const QString uid = m_model->addNode(kind, std::round(place.x + room.left), std::round(place.y));
  reveal(uid);
  return uid;
}

void PlanView::removeSelected() {
  if (m_ribbon) {
    const PlanRibbon r = *m_ribbon;
    m_ribbon.reset();
    m_model->disconnectInput(text(r.to), r.input, r.link);
    return;
  }
  if (!m_paperItem.isEmpty()) {
    const std::string uid = m_paperItem.toStdString();
    m_paperItem.clear();
    m_model->edit(tr("Delete"),
                  [&](Plan& plan) { std::erase_if(plan.paper, [&](const PaperItem& i) { return i.uid == uid; }); });
    return;
  }
  QStringList all = m_selection;
  for (const QString& uid : m_selection)
    if (const PlanCard* c = m_layout.card(uid.toStdString()))
      for (const std::string& inside : c->folded)
        if (!all.contains(text(inside))) all.push_back(text(inside));
  m_model->removeNodes(all);
}

void PlanView::skipSelected() {
  if (m_selection.isEmpty()) return;
  const Node* first = m_model->plan().find(m_selection.first().toStdString());
  m_model->setSkipped(m_selection, first && !first->isSkipped);
}

void PlanView::renameSelected() {
  if (m_selection.size() != 1) return;
  const Node* node = m_model->plan().find(m_selection.first().toStdString());
  if (!node) return;
  const QPoint at = centerOf(m_selection.first());
  m_rename->setText(text(node->title));
  m_rename->setGeometry(std::clamp(at.x() - 56, 2, std::max(2, viewport()->width() - 204)), at.y() - 13, 200, 26);
  m_rename->show();
  m_rename->raise();
  m_rename->setFocus();
  m_rename->selectAll();
}

void PlanView::duplicateSelected() {
  const QStringList added = m_model->duplicate(m_selection, roomsNow());
  if (added.isEmpty()) return;
  select(added);
  showWhole(added.first().toStdString());
}
void PlanView::liftSelected() {
  if (m_selection.size() == 1) m_model->liftOut(m_selection.first());
}
/// What each card takes with what is docked to it, now.
CardRooms PlanView::roomsNow() const {
  std::map<std::string, QRectF> all;
  for (const PlanCard& c : m_layout.cards) all[c.uid] = c.rect;
  for (const PlanTag& t : m_layout.tags) all[t.card] |= t.rect;
  for (const PlanChip& c : m_layout.chips) all[c.card] |= c.rect;
  CardRooms rooms;
  for (const PlanCard& c : m_layout.cards) {
    const QRectF& r = all[c.uid];
    rooms[c.uid] = {c.rect.left() - r.left(), r.right() - c.rect.right(), c.rect.width(), r.bottom() - c.rect.top()};
  }
  return rooms;
}

void PlanView::tidy() {
  m_model->tidy(m_selection, roomsNow(), viewport()->size());
  if (m_selection.isEmpty()) fitAll();
}

void PlanView::copySelected() {
  std::vector<std::string> uids;
  for (const QString& uid : m_selection) uids.push_back(uid.toStdString());
  if (!uids.empty()) QApplication::clipboard()->setText(text(formatNodes(m_model->plan(), uids)));
}

void PlanView::pasteClipboard() {
  const QStringList added = m_model->paste(QApplication::clipboard()->text(), roomsNow(), inSight().center());
  if (added.isEmpty()) return;
  select(added);
  showWhole(added.first().toStdString());
}

void PlanView::zoomTo(double zoom, const QPointF& about) {
  zoom = std::clamp(zoom, kLeastZoom, 2.0);
  const QPointF fixed = toView(about);
  m_zoom = zoom;
  updateScrollBars();
  const QPointF now = toView(about);
  horizontalScrollBar()->setValue(horizontalScrollBar()->value() + static_cast<int>(now.x() - fixed.x()));
  verticalScrollBar()->setValue(verticalScrollBar()->value() + static_cast<int>(now.y() - fixed.y()));
  viewport()->update();
}

void PlanView::fitAll() {
  const QRectF all = m_layout.bounds.adjusted(-10, -10, 20, 20);
  if (all.isEmpty()) return;
  m_zoom = std::clamp(std::min(viewport()->width() / all.width(), viewport()->height() / all.height()), kLeastZoom,
                      1.0);
  updateScrollBars();
  horizontalScrollBar()->setValue(static_cast<int>(all.left() * m_zoom));
  verticalScrollBar()->setValue(static_cast<int>(all.top() * m_zoom));
  viewport()->update();
}

void PlanView::goInto(const QRectF& place) {
  const QRectF all = place.adjusted(-4, -8, 4, 8);
  m_zoom = std::clamp(viewport()->width() / all.width(), 0.7, 1.0);
  updateScrollBars();
  const double pane = viewport()->width() / m_zoom;
  const double left = all.width() <= pane ? all.center().x() - pane / 2 : all.left();
  horizontalScrollBar()->setValue(static_cast<int>(left * m_zoom));
  verticalScrollBar()->setValue(static_cast<int>(all.top() * m_zoom));
  viewport()->update();
}

void PlanView::centerOn(const QPointF& place) {
  const QPointF corner = place * m_zoom - QPointF(viewport()->rect().center());
  horizontalScrollBar()->setValue(static_cast<int>(corner.x()));
  verticalScrollBar()->setValue(static_cast<int>(corner.y()));
}

void PlanView::wheelEvent(QWheelEvent* event) {
  if (event->modifiers() & Qt::ControlModifier) {
    zoomTo(m_zoom * std::pow(1.2, event->angleDelta().y() / 120.0), toPlan(event->position().toPoint()));
    return;
  }
  QAbstractScrollArea::wheelEvent(event);
}

bool PlanView::viewportEvent(QEvent* event) {
  if (event->type() == QEvent::ToolTip) {
    const auto* help = static_cast<QHelpEvent*>(event);
    const QPointF p = toPlan(help->pos());
    const PlanTag* tag = tagAt(p);
    const PlanCard* card = tag ? nullptr : cardAt(p);
    const std::string uid = tag ? tag->uid : card ? card->uid : std::string();
    const Node* node = m_model->plan().find(uid);
    const PlanBlock* block = isOverview() ? m_overview.at(p) : nullptr;
    if (!node && block) {
      QStringList lines{QStringLiteral("<b>%1</b>").arg(block->title.toHtmlEscaped())};
      for (const QString& line : {block->yield, block->trouble})
        if (!line.isEmpty()) lines << line.toHtmlEscaped();
      QToolTip::showText(help->globalPos(), lines.join(QStringLiteral("<br>")), this);
      return true;
    }
    if (!node) {
      QToolTip::hideText();
      return true;
    }
    const NodeKind* kind = kindOf(*node);
    QString words =
        QStringLiteral("<b>%1</b><br>%2")
            .arg(text(node->title).toHtmlEscaped(),
                 said(sentenceOf(m_model->plan(), *node, m_view ? m_view->quality : Quality::Draft)).toHtmlEscaped());
    if (const auto picture = m_masks->find(uid); picture != m_masks->end() && !picture->second.note.isEmpty())
      words += QStringLiteral("<br>%1").arg(picture->second.note);
    if (m_view)
      if (const auto it = m_view->evaluation.reports.find(uid); it != m_view->evaluation.reports.end()) {
        for (const Problem& problem : it->second.problems)
          words += QStringLiteral("<br>! %1").arg(sentencesOf(problem).toHtmlEscaped());
        words += QStringLiteral("<br>%1 ms · %2 MB")
                     .arg(it->second.milliseconds, 0, 'f', 1)
                     .arg(static_cast<double>(it->second.bytes) / 1e6, 0, 'f', 1);
      }
    if (kind) words += QStringLiteral("<br><i>%1</i>").arg(said(kind->help).toHtmlEscaped());
    QToolTip::showText(help->globalPos(), words, this);
    return true;
  }
  return QAbstractScrollArea::viewportEvent(event);
}

void PlanView::resizeEvent(QResizeEvent* event) {
  QAbstractScrollArea::resizeEvent(event);
  updateScrollBars();
}

}  // namespace arvesk
