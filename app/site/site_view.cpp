#include "app/site/site_view.h"

#include "app/model/words.h"
#include "app/window/theme.h"

#include <QButtonGroup>
#include <QComboBox>
#include <QFrame>
#include <QHBoxLayout>
#include <QLabel>
#include <QPainter>
#include <QSlider>
#include <QToolButton>

namespace arvesk {
SiteView::SiteView(QWidget* parent)
    : QWidget(parent),
      m_modes(new QFrame(this)),
      m_modeButtons(new QButtonGroup(this)),
      m_colorBox(new QComboBox(m_modes)),
      m_trueSize(new QToolButton(m_modes)),
      m_banner(new QFrame(this)),
      m_bannerText(new QLabel(m_banner)),
      m_hiddenPill(new QToolButton(this)),
      m_cutButton(new QToolButton(m_modes)),
      m_cover(new CoverView(this)),
      m_why(new WhyPanel(this)),
      m_exploded(new QSlider(Qt::Horizontal, m_modes)),
      m_explodedLabel(new QLabel(tr("Pull apart"), m_modes)) {
  setObjectName(QStringLiteral("site"));
  setAccessibleName(tr("Site"));
  setFocusPolicy(Qt::StrongFocus);
  setMouseTracking(true);
  setAcceptDrops(true);
  setMinimumSize(200, 150);
  m_cover->hide();
  m_cover->setFocusProxy(this);  // Site's keys count over Cover too
  m_cover->lower();
  m_modes->setProperty("role", QStringLiteral("float"));
  struct Mode {
    const char* id;
    QString name;
    QString help;
  };
  const std::initializer_list<Mode> modesShown{
      {"dressed", tr("Dressed"), tr("Every placement as it is")},
      {"massing", tr("Massing"), tr("Boxes or simplified shapes with their footprints, in place of props")},
      {"points", tr("Points"), tr("Discs that face their normal, in place of props")},
      {"cover", tr("Count map"), tr("From above, how many stand on each m²")},
      {"mask", tr("Mask"), tr("The selected mask on the ground")}};
  int id = 0;
  for (const auto& [key, name, help] : modesShown) {
    auto* b = new QToolButton(m_modes);
    b->setText(name);
    b->setToolTip(help);
    b->setCheckable(true);
    b->setChecked(id == 0);
    b->setProperty("role", QStringLiteral("mode"));
    b->setObjectName(QStringLiteral("mode_%1").arg(QLatin1String(key)));
    m_modeButtons->addButton(b, id++);
  }
  m_colorBox->setObjectName(QStringLiteral("color_by"));
  m_colorBox->setAccessibleName(tr("Color of the points"));
  m_colorBox->setToolTip(tr("What colors the points"));
  m_colorBox->setFocusPolicy(Qt::ClickFocus);
  m_colorBox->setSizeAdjustPolicy(QComboBox::AdjustToContents);  // its numbers come with the results
  m_colorBox->hide();
  m_trueSize->setText(tr("True size"));
  m_trueSize->setObjectName(QStringLiteral("true_size"));
  m_trueSize->setToolTip(tr("Discs cover the footprints, in place of one size for all"));
  m_trueSize->setCheckable(true);
  m_trueSize->setProperty("role", QStringLiteral("mode"));
  m_trueSize->hide();
  connect(m_trueSize, &QToolButton::clicked, this, [this] { requestFrame(); });
  m_explodedLabel->setProperty("role", QStringLiteral("quiet"));
  m_exploded->setObjectName(QStringLiteral("exploded"));
  m_exploded->setAccessibleName(tr("Move placements apart"));
  m_exploded->setToolTip(
      tr("Moves placements away from the middle of their clump or output, to look between them; pieces from what they "
         "were broken off"));
  m_exploded->setRange(0, 200);
  m_exploded->setFixedWidth(64);
  m_exploded->setFocusPolicy(Qt::ClickFocus);
  m_cutButton->setText(tr("Cut"));
  m_cutButton->setObjectName(QStringLiteral("cut"));
  m_cutButton->setToolTip(tr("A plane that hides what lies before it, to look inside"));
  m_cutButton->setCheckable(true);
  m_cutButton->setProperty("role", QStringLiteral("mode"));
  connect(m_cutButton, &QToolButton::clicked, this, &SiteView::toggleCut);
  connect(m_exploded, &QSlider::valueChanged, this, &SiteView::shownChanged);
  connect(m_colorBox, &QComboBox::activated, this, [this](int i) {
    m_colorNumber = m_colorBox->itemData(i).toString();
    Q_EMIT colorNumberChanged();
  });
  connect(m_why, &WhyPanel::nodeWanted, this, &SiteView::nodeWanted);
  connect(m_why, &WhyPanel::closed, this, &SiteView::stopAsking);
  connect(m_why, &WhyPanel::markChanged, this, qOverload<>(&QWidget::update));
  connect(m_why, &WhyPanel::radiusWanted, this, [this](float radius) {
    if (m_askedSpot) Q_EMIT whyWanted(*m_askedSpot, m_askedNode, m_askedId, radius);
  });
  connect(m_modeButtons, &QButtonGroup::idClicked, this, [this](int i) { setMode(static_cast<SiteMode>(i)); });
  m_banner->setProperty("role", QStringLiteral("float"));
  m_banner->setObjectName(QStringLiteral("banner"));
  auto* banner = new QHBoxLayout(m_banner);
  banner->setContentsMargins(10, 2, 4, 2);
  m_bannerText->setProperty("role", QStringLiteral("section"));
  banner->addWidget(m_bannerText);
  auto* all = new QToolButton(m_banner);
  all->setText(tr("Back to outputs"));
  all->setObjectName(QStringLiteral("show_all"));
  banner->addWidget(all);
  connect(all, &QToolButton::clicked, this, &SiteView::showAllWanted);
  m_banner->hide();
  m_walkTimer.setInterval(16);
  connect(&m_walkTimer, &QTimer::timeout, this, &SiteView::goOn);
  m_hiddenPill->setObjectName(QStringLiteral("hidden"));
  m_hiddenPill->setProperty("role", QStringLiteral("pill"));
  m_hiddenPill->setToolTip(tr("Shows again what was hidden in Site"));
  m_hiddenPill->hide();
  connect(m_hiddenPill, &QToolButton::clicked, this, &SiteView::showHidden);
  connect(this, &SiteView::shownChanged, this, &SiteView::tellHidden);
  connect(&m_renderer, &RenderService::frameReady, this, [this] {
    update();
    Q_EMIT frameShown();
  });
}

void SiteView::setMode(SiteMode mode) {
  m_modeButtons->button(static_cast<int>(mode))->setChecked(true);
  if (mode == m_mode) return;
  m_mode = mode;
  m_cover->setVisible(mode == SiteMode::Cover);
  m_colorBox->setVisible(mode == SiteMode::Points);
  m_trueSize->setVisible(mode == SiteMode::Points);
  const bool canExplode = mode == SiteMode::Dressed || mode == SiteMode::Massing;
  m_exploded->setVisible(canExplode);
  m_explodedLabel->setVisible(canExplode);
  arrange();
  Q_EMIT modeChanged(mode);
  requestFrame();
}

void SiteView::setTool(std::unique_ptr<SiteTool> tool) {
  m_tool = std::move(tool);
  if (m_tool)
    m_tool->whenChanged([this] {
      update();
      tellHint();
    });
  if (m_tool && m_view) m_tool->showResults(m_view);
  if (m_drag == Drag::Tool) m_drag = Drag::None;
  showCursor();
  tellHint();
  update();
}

void SiteView::showSelection(std::vector<Vec3> places) {
  m_ringing.cancel();
  m_selection = std::move(places);
  update();
}

void SiteView::showCursor() {
  setCursor(m_isAsking || (m_tool && m_tool->isArmed()) ? Qt::CrossCursor : Qt::ArrowCursor);
}

void SiteView::startAsking() {
  m_isAsking = true;
  setCursor(Qt::CrossCursor);
  setFocus();
  Q_EMIT hintChanged(tr("click a spot or a placement to see why it is as it is · Esc"));
}

void SiteView::stopAsking() {
  m_isAsking = false;
  m_askedSpot.reset();
  m_why->hide();
  showCursor();
  tellHint();
  setFocus();
  update();
}

void SiteView::toggleCompare() {
  if (m_held) {
    m_held.reset();
    m_heldRenderer.reset();
  } else if (m_view && m_view->scene) {
    m_held = m_view;
    m_divider = 0.5;
    m_heldRenderer = std::make_unique<RenderService>();
    connect(m_heldRenderer.get(), &RenderService::frameReady, this, qOverload<>(&QWidget::update));
    m_heldRenderer->request(requestFor(m_held));
  }
  Q_EMIT compareChanged(m_held);
  update();
}

void SiteView::setInSite(const QString& title) {
  m_bannerText->setText(tr("In Site: %1").arg(title));
  m_banner->setVisible(!title.isEmpty());
  arrange();
}

/// Modes and what goes with them, in as many lines as they need.
void SiteView::arrangeModes() {
  QWidgetList all;
  for (QAbstractButton* b : m_modeButtons->buttons()) all << b;
  all << m_colorBox << m_trueSize << m_explodedLabel << m_exploded << m_cutButton;
  constexpr int kSide = 4;
  const int most = width() - 20 - kSide;
  int x = kSide;
  int y = 0;
  int widest = 0;
  int line = 0;
  for (QWidget* w : all) {
    if (w->isHidden()) continue;
    const QSize size = w->sizeHint().expandedTo(w->minimumSize()).boundedTo(w->maximumSize());
    // The slider stays beside its words.
    const int needed = size.width() + (w == m_explodedLabel ? m_exploded->width() + 2 : 0);
    if (x > kSide && x + needed > most && w != m_exploded) {
      x = kSide;
      y += line + 2;
      line = 0;
    }
    w->setGeometry(QRect(x, y, size.width(), size.height()));
    line = std::max(line, size.height());
    x += size.width() + 2;
    widest = std::max(widest, x);
  }
  // Those of a line stand in its middle.
  for (QWidget* w : all)
    if (!w->isHidden() && w->height() < line) w->move(w->x(), w->y() + (line - w->height()) / 2);
  m_modes->setGeometry(10, 10, widest + kSide - 2, y + line);
}

void SiteView::arrange() {
  arrangeModes();
  m_banner->adjustSize();
  const bool isBeside = m_modes->geometry().right() + m_banner->width() + 20 < width();
  m_banner->move(width() - m_banner->width() - 10, isBeside ? 10 : m_modes->geometry().bottom() + 8);
  m_cover->setGeometry(rect());
  m_hiddenPill->adjustSize();
  m_hiddenPill->move((width() - m_hiddenPill->width()) / 2, height() - m_hiddenPill->height() - 12);
  const int room = height() - 100;
  showTouchPanel();
  m_why->setGeometry(width() - 330, 48, 320, std::max(120, std::min(420, room)));
}

void SiteView::tellHidden() {
  const QString count = QLocale().toString(static_cast<qulonglong>(countOf(m_hidden.points)));
  m_hiddenPill->setText(m_hidden.isOnly ? tr("%1 shown alone · show all").arg(count)
                                        : tr("%1 hidden · show").arg(count));
  m_hiddenPill->setVisible(!m_hidden.isEmpty());
  m_hiddenPill->raise();
  arrange();
}

void SiteView::setMaskTitle(const QString& title) {
  m_maskTitle = title;
  update();
}

void SiteView::showResults(const EvalViewPtr& view) {
  const auto sizeOf = [](const EvalViewPtr& v) {
    return v->scene ? v->scene->input().grounds.size() + v->scene->input().hazes.size() + v->shown.size()
                    : std::size_t{0};
  };
  if (view->isGrowing && m_view && m_view->request == view->request && sizeOf(m_view) == sizeOf(view))
    return;  // nothing new to see
  const bool isNewPlan = m_isFirstView && view->scene;
  const auto sunOf = [](const PlanSettings& s) { return std::pair(s.sunHeadingDeg, s.sunHeightDeg); };
  if (m_view && sunOf(m_view->plan->settings) != sunOf(view->plan->settings))
    m_camera.sun.reset();  // who turns it sees it
  m_view = view;
  m_pickedPlace.reset();
  if (!m_selected.empty()) select(m_selected);  // what is gone loses its ring, what moved takes it along
  if (m_tool) m_tool->showResults(view);
  if (m_touching && !view->isGrowing) m_touching->showResults(view);
  if (view->cover) m_cover->show(view->cover);
  if (m_mode == SiteMode::Points) {
    m_colorBox->clear();
    m_colorBox->addItem(tr("Plain or mask"), QString());
    m_colorBox->addItem(tr("Output"), QLatin1String(kByOutput));
    m_colorBox->addItem(tr("Prop"), QLatin1String(kByProp));
    m_colorBox->insertSeparator(m_colorBox->count());
    for (const std::string& name : view->colorNames) m_colorBox->addItem(said(name), text(name));
    m_colorBox->setCurrentIndex(std::max(0, m_colorBox->findData(m_colorNumber)));
    arrange();
  }
  if (isNewPlan) {
    m_isFirstView = false;
    m_camera = *cameraOf(*view->plan, {}, view->scene->bounds());  // without a name there is always one
  }
  requestFrame();
}

void SiteView::beginPlan() {
  if (m_held) toggleCompare();
  m_view = nullptr;
  m_isFirstView = true;
  update();
}

void SiteView::showWork(const QString& line) {
  if (line == m_workLine) return;
  m_workLine = line;
  update();
}

void SiteView::setCamera(const Camera& camera) {
  m_camera = camera;
  m_isFirstView = false;
  requestFrame();
}

void SiteView::fitAll() {
  if (m_mode == SiteMode::Cover) return m_cover->fit();
  if (!m_view || !m_view->scene) {
    m_isFirstView = true;
    return;
  }
  m_camera = cameraFitting(m_view->scene->bounds(), m_camera);
  requestFrame();
}

RenderRequest SiteView::requestFor(const EvalViewPtr& view) const {
  RenderRequest request;
  request.view = view;
  request.camera = m_camera;
  request.width = static_cast<int>(width() * devicePixelRatioF());
  request.height = static_cast<int>(height() * devicePixelRatioF());
  request.cut = m_cut.cut();
  request.drawsPoints = m_mode == SiteMode::Points;
  request.isTrueSize = request.drawsPoints && m_trueSize->isChecked();
  return request;
}

void SiteView::requestFrame() {
  if (m_mode != SiteMode::Cover) {
    m_renderer.request(requestFor(m_view));
    if (m_heldRenderer) m_heldRenderer->request(requestFor(m_held));
  }
  findFootprints();
  findTint();
  update();
}

void SiteView::resizeEvent(QResizeEvent*) {
  arrange();
  requestFrame();
}

QString SiteView::emptyLine() const {
  if (!m_view) return {};
  // What is there and failed is not to be added.
  for (const Node& node : m_view->plan->nodes)
    if (const auto it = m_view->evaluation.reports.find(node.uid); it != m_view->evaluation.reports.end() &&
                                                                   it->second.state == NodeState::Failed &&
                                                                   !it->second.problems.empty()) {
      const Problem& why = it->second.problems.front();
      const QString line = lineOf(why);  // it may name a file
      return tr("Nothing can be shown. %1")
          .arg(why.where == node.title ? line : QStringLiteral("%1: %2").arg(text(node.title), line));
    }
  return tr("Nothing to see yet: add ground, such as a Terrain or a Shape.");
}

void SiteView::paintEvent(QPaintEvent*) {
  const Theme& t = Theme::current();
  QPainter p(this);
  const Frame& frame = m_renderer.latest();
  const bool isEmpty = !m_view || !m_view->scene;
  if (frame.image.isNull() || isEmpty) {
    p.fillRect(rect(), t.isNight ? t.card : QColor(0xE4, 0xE2, 0xDA));
    p.setPen(t.quiet);
    p.drawText(rect().adjusted(40, 60, -40, -40), Qt::AlignCenter | Qt::TextWordWrap,
               !m_workLine.isEmpty()          ? m_workLine
               : m_view && !m_view->isGrowing ? emptyLine()
                                              : tr("Reading the plan…"));
    return;
  }
  p.setRenderHint(QPainter::SmoothPixmapTransform);
  p.drawImage(rect(), frame.image);
  if (m_held && !m_heldRenderer->latest().image.isNull()) {
    p.save();
    p.setClipRect(QRectF(0, 0, m_divider * width(), height()));
    p.drawImage(rect(), m_heldRenderer->latest().image);
    p.restore();
  }
  paintOverlays(p);
}

}  // namespace arvesk
