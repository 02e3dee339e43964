// Site's selection: what is chosen by click, box or outline, what is hidden, and the menu for both.
#include "app/site/site_view.h"

#include "app/kit/prop_mime.h"
#include "app/site/site_tint.h"
#include "app/window/commands.h"
#include "core/deliver/schedule.h"

#include <QDropEvent>
#include <QLocale>
#include <QMenu>
#include <QSlider>

namespace arvesk {

void SiteView::select(SiteSelection selection) {
  m_selected = std::move(selection);
  constexpr std::size_t kMostRings = 5000;
  if (m_view && !m_selected.empty())
    m_ringing.ask([this, view = m_view, chosen = m_selected](const Task& task) -> std::function<void()> {
      std::vector<Vec3> places = placesOf(view->shown, chosen, kMostRings, task);
      return [this, places] {
        m_selection = places;
        update();
      };
    });
  else {
    m_ringing.cancel();
    m_selection.clear();
  }
  findTint();
  if (m_touching) m_touching->select(m_selected);
  tellHint();
  Q_EMIT selectionMade(m_selected);
  update();
}

void SiteView::tellHint() {
  const std::size_t count = countOf(m_selected);
  if (const TouchHandles* handles = handlesNow())
    Q_EMIT hintChanged(handles->hint());
  else if (count > 1)
    Q_EMIT hintChanged(
        tr("%1 selected · right click: same prop, node, clump · − hides, + shows only these, 0 all · Esc")
            .arg(QLocale().toString(static_cast<qulonglong>(count))));
  else
    Q_EMIT hintChanged(m_tool ? m_tool->hint() : QString());
}

bool SiteView::isTinted() const {
  constexpr std::size_t kFew = 60;
  return (m_mode == SiteMode::Dressed || m_mode == SiteMode::Massing || m_mode == SiteMode::Mask) && m_view &&
         m_view->scene && countOf(m_selected) > kFew;
}

/// For where the camera is now: coarse at once, then each pixel.
void SiteView::findTint() {
  const quint64 number = ++m_tintAsked;
  if (!isTinted() || width() < 8 || height() < 8) return m_tinting.cancel();
  m_tinting.ask([this, number, scene = m_view->scene, selection = m_selected, camera = m_camera, w = width(),
                 h = height(), cut = m_cut.cut()](const Task& task) -> Worker::Answer {
    const auto shown = [&](int step) -> Worker::Answer {
      QImage image = tintOf(*scene, selection, camera, w, h, step, cut, task);
      if (image.isNull()) return {};
      return [this, number, tint = Tint{std::move(image), camera, number}] {
        if (number != m_tintAsked) return;
        m_tint = tint;
        update();
      };
    };
    const Worker::Answer coarse = shown(4);
    if (!coarse) return {};
    m_tinting.post(coarse);
    return shown(1);
  });
}

void SiteView::selectSame(SameAs what) {
  if (!m_view || m_selected.empty()) return;
  m_selecting.ask([this, view = m_view, selection = m_selected, what](const Task& task) -> std::function<void()> {
    SiteSelection all = extended(view->shown, selection, what);
    if (task.isCancelled()) return {};
    return [this, all] { select(all); };
  });
}

void SiteView::selectProp(const QString& node, const QString& scheduled) {
  if (!m_view) return;
  m_selecting.ask([this, view = m_view, node = node.toStdString(),
                   key = scheduled.toStdString()](const Task&) -> std::function<void()> {
    SiteSelection all;
    for (const PictureLayer& layer : view->shown) {
      if (layer.source != node) continue;
      if (!layer.points->kit) continue;
      std::vector<bool> isWanted;
      for (const KitEntry& e : layer.points->kit->entries) isWanted.push_back(scheduleKeyOf(*e.prop) == key);
      std::vector<std::uint64_t> ids;
      for (std::size_t i = 0; i < layer.points->count; ++i)
        if (layer.points->prop[i] != kNoProp && isWanted[static_cast<std::size_t>(layer.points->prop[i])])
          ids.push_back(layer.points->id[i]);
      if (!ids.empty()) all[node] = IdSet(std::move(ids));
    }
    return [this, all] { select(all); };
  });
}

void SiteView::lookAt(const Vec3& place) {
  const Vec3 back = directionOr(m_camera.eye - m_camera.target, Vec3(0.6F, 0.5F, 0.6F));
  m_camera.target = place;
  m_camera.eye = place + back * 6.0F;
  requestFrame();
}

void SiteView::hideSelected(bool isOnly) {
  if (m_selected.empty()) return;
  if (isOnly || m_hidden.isOnly) {
    // Among those that were shown alone, hiding takes away.
    if (!isOnly)
      for (const auto& [source, ids] : m_selected) m_hidden.points[source] = m_hidden.points[source].without(ids);
    else
      m_hidden = {m_selected, true};
  } else {
    for (const auto& [source, ids] : m_selected) m_hidden.points[source] = m_hidden.points[source].with(ids);
  }
  if (!isOnly) select({});
  Q_EMIT shownChanged();
}

void SiteView::showHidden() {
  if (m_hidden.isEmpty()) return;
  m_hidden = {};
  Q_EMIT shownChanged();
}

void SiteView::setCutsShown(bool isOn) {
  m_areCutsShown = isOn;
  Q_EMIT shownChanged();
}

float SiteView::exploded() const {
  return m_mode == SiteMode::Dressed || m_mode == SiteMode::Massing ? static_cast<float>(m_exploded->value()) / 100
                                                                    : 0.0F;
}

void SiteView::selectArea(bool adds) {
  if (!m_view || m_area.size() < 2) return;
  const QPolygonF area = m_isLasso ? m_area : QPolygonF(QRectF(m_area.front(), m_area.back()).normalized());
  const auto film = m_mode == SiteMode::Cover ? nullptr : m_renderer.latest().film;
  m_selecting.ask([this, view = m_view, camera = m_camera, w = width(), h = height(), area, film, adds,
                   before = m_selected](const Task& task) -> std::function<void()> {
    SiteSelection found = selectedIn(view->shown, camera, w, h, area, film.get(), task);
    if (task.isCancelled()) return {};
    if (adds)
      for (const auto& [source, ids] : before) found[source] = found[source].with(ids);
    return [this, found] { select(found); };
  });
}

bool SiteView::hasPieces() const {
  return m_view && std::any_of(m_view->shown.begin(), m_view->shown.end(), [](const PictureLayer& layer) {
           return layer.points->kit && arePieces(*layer.points->kit);
         });
}

void SiteView::openMenu(const QPoint& at) {
  QMenu menu(this);
  menu.setObjectName(QStringLiteral("site_menu"));
  const bool has = !m_selected.empty();
  const auto add = [&](const QString& words, const char* name, bool isOn, auto&& what) {
    QAction* action = menu.addAction(words, this, what);
    action->setObjectName(QLatin1String(name));
    action->setEnabled(isOn);
  };
  add(tr("Select the same prop"), "menu_same_prop", has, [this] { selectSame(SameAs::Prop); });
  add(tr("Select the same node"), "menu_same_node", has, [this] { selectSame(SameAs::Node); });
  add(tr("Select the same clump"), "menu_same_clump", has, [this] { selectSame(SameAs::Clump); });
  add(tr("Select all of what it was broken off"), "menu_same_owner", has && hasPieces(),
      [this] { selectSame(SameAs::Owner); });
  menu.addSeparator();
  add(withKeys(tr("Hide"), this, "site_hide"), "menu_hide", has, [this] { hideSelected(false); });
  add(withKeys(tr("Show only these"), this, "site_only"), "menu_only", has, [this] { hideSelected(true); });
  add(withKeys(tr("Unhide all"), this, "site_show"), "menu_show", !m_hidden.isEmpty(), [this] { showHidden(); });
  if (m_touchPanel && has && m_touching->count() > 0) {
    menu.addSeparator();
    m_touchPanel->fillMenu(&menu);
  }
  menu.addSeparator();
  add(tr("Take over by hand"), "menu_take_over", has, [this] { Q_EMIT takeOverWanted(); });
  add(tr("Give back to their rules"), "menu_give_back", has, [this] { Q_EMIT giveBackWanted(); });
  menu.addSeparator();
  const bool isCut = m_cut.cut().has_value();
  add(withKeys(isCut ? tr("Put the cut away") : tr("Cut open"), this, "site_cut"), "menu_cut", true,
      [this] { toggleCut(); });
  const auto plane = [this](auto&& change) {
    return [this, change] {
      change(m_cut);
      requestFrame();
    };
  };
  if (isCut) {
    add(tr("Cut across X"), "menu_cut_x", true, plane([](CutHandles& c) { c.align(0); }));
    add(tr("Cut level"), "menu_cut_y", true, plane([](CutHandles& c) { c.align(1); }));
    add(tr("Cut across Z"), "menu_cut_z", true, plane([](CutHandles& c) { c.align(2); }));
    add(tr("Show the other side of the cut"), "menu_cut_turn", true, plane([](CutHandles& c) { c.turnRound(); }));
  }
  QAction* cuts = menu.addAction(tr("Show broken faces in red"), this, &SiteView::setCutsShown);
  cuts->setObjectName(QStringLiteral("menu_cut_faces"));
  cuts->setCheckable(true);
  cuts->setChecked(m_areCutsShown);
  cuts->setEnabled(m_areCutsShown || hasPieces());
  menu.addSeparator();
  add(withKeys(tr("Why here…"), this, "site_why"), "menu_why", true, [this] { startAsking(); });
  QAction* lasso = menu.addAction(tr("Select by outline"), this, [this](bool isOn) { setLasso(isOn); });
  lasso->setObjectName(QStringLiteral("menu_lasso"));
  lasso->setCheckable(true);
  lasso->setChecked(m_isLasso);
  menu.exec(at);
}

void SiteView::dragEnterEvent(QDragEnterEvent* event) {
  if (!propsIn(event->mimeData()).isEmpty()) event->acceptProposedAction();
}

void SiteView::dropEvent(QDropEvent* event) {
  const QStringList props = propsIn(event->mimeData());
  if (props.isEmpty()) return;
  event->acceptProposedAction();
  const auto found = findAt(event->position());
  const Points* points = found && found->layer ? found->layer->points.get() : nullptr;
  if (!points || !points->kit || points->prop[found->point] == kNoProp) return Q_EMIT propsDropped({}, {}, props);
  const KitEntry& on = points->kit->entries[static_cast<std::size_t>(points->prop[found->point])];
  Q_EMIT propsDropped(QString::fromStdString(found->layer->source), on.prop->uid, props);
}

}  // namespace arvesk
