#include "app/site/why_panel.h"

#include "app/model/words.h"
#include "app/window/theme.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QListWidget>
#include <QLocale>
#include <QPainter>
#include <QStyledItemDelegate>
#include <QToolButton>

namespace arvesk {
namespace {

constexpr int kUid = Qt::UserRole;
constexpr int kPoint = Qt::UserRole + 1;  // index into the answer's points, −1 for others
constexpr int kHead = Qt::UserRole + 2;
constexpr int kDetail = Qt::UserRole + 3;

/// Two lines per item: the node in ink, what it did in quiet ink, wrapped.
class LineDelegate : public QStyledItemDelegate {
 public:
  using QStyledItemDelegate::QStyledItemDelegate;
  QSize sizeHint(const QStyleOptionViewItem& option, const QModelIndex& index) const override {
    const QString detail = index.data(kDetail).toString();
    const int width = option.widget ? static_cast<const QListWidget*>(option.widget)->viewport()->width() - 20 : 280;
    const int lines =
        detail.isEmpty()
            ? 0
            : detailMetrics(option).boundingRect(QRect(0, 0, width, 1000), Qt::TextWordWrap, detail).height();
    return {width, 24 + lines + (lines > 0 ? 4 : 0)};
  }
  void paint(QPainter* p, const QStyleOptionViewItem& option, const QModelIndex& index) const override {
    const Theme& t = Theme::current();
    const QString detail = index.data(kDetail).toString();
    const bool isHeading = !(index.flags() & Qt::ItemIsEnabled);
    if (!isHeading && (option.state & (QStyle::State_MouseOver | QStyle::State_Selected)))
      p->fillRect(option.rect, t.hatch);
    QFont f = option.font;
    f.setWeight(isHeading ? QFont::Normal : QFont::DemiBold);
    f.setPixelSize(isHeading ? 11 : 12);
    p->setFont(f);
    p->setPen(isHeading ? t.quiet : t.ink);
    const QRect head(option.rect.left() + 10, option.rect.top() + 3, option.rect.width() - 20, 18);
    p->drawText(head, Qt::AlignLeft | Qt::AlignVCenter,
                QFontMetrics(f).elidedText(index.data(kHead).toString(), Qt::ElideRight, head.width()));
    f.setWeight(QFont::Normal);
    f.setPixelSize(11);
    p->setFont(f);
    p->setPen(t.quiet);
    p->drawText(QRect(head.left(), head.bottom() + 1, head.width(), option.rect.bottom() - head.bottom()),
                Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap, detail);
  }

 private:
  static QFontMetrics detailMetrics(const QStyleOptionViewItem& option) {
    QFont f = option.font;
    f.setPixelSize(11);
    return QFontMetrics(f);
  }
};

}  // namespace

WhyPanel::WhyPanel(QWidget* parent)
    : QFrame(parent),
      m_title(new QLabel(this)),
      m_list(new QListWidget(this)),
      m_nearer(new QToolButton(this)),
      m_farther(new QToolButton(this)) {
  setObjectName(QStringLiteral("why_panel"));
  setProperty("role", QStringLiteral("float"));
  m_title->setProperty("role", QStringLiteral("section"));
  m_title->setObjectName(QStringLiteral("why_title"));
  m_list->setObjectName(QStringLiteral("why_list"));
  m_list->setAccessibleName(tr("Why here"));
  m_list->setItemDelegate(new LineDelegate(m_list));
  m_list->setFrameShape(QFrame::NoFrame);
  m_list->setMouseTracking(true);
  m_list->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  m_list->setVerticalScrollMode(QAbstractItemView::ScrollPerPixel);
  m_nearer->setText(tr("Nearer"));
  m_nearer->setObjectName(QStringLiteral("why_nearer"));
  m_farther->setText(tr("Wider"));
  m_farther->setObjectName(QStringLiteral("why_wider"));
  auto* close = new QToolButton(this);
  close->setText(tr("Close"));
  close->setObjectName(QStringLiteral("why_close"));
  auto* head = new QHBoxLayout;
  head->setContentsMargins(10, 4, 4, 0);
  head->addWidget(m_title, 1);
  head->addWidget(m_nearer);
  head->addWidget(m_farther);
  head->addWidget(close);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 4);
  column->setSpacing(2);
  column->setSizeConstraint(QLayout::SetMinimumSize);  // the whole title
  column->addLayout(head);
  column->addWidget(m_list, 1);
  resize(320, 260);
  connect(m_nearer, &QToolButton::clicked, this, [this] { Q_EMIT radiusWanted(m_radius / 2); });
  connect(m_farther, &QToolButton::clicked, this, [this] { Q_EMIT radiusWanted(m_radius * 2); });
  connect(close, &QToolButton::clicked, this, &WhyPanel::closed);
  connect(m_list, &QListWidget::itemClicked, this,
          [this](const QListWidgetItem* item) { Q_EMIT nodeWanted(item->data(kUid).toString()); });
  connect(m_list, &QListWidget::itemEntered, this, [this](QListWidgetItem* item) { m_list->setCurrentItem(item); });
  connect(m_list, &QListWidget::currentRowChanged, this, &WhyPanel::markChanged);
  hide();
}

void WhyPanel::showBusy() {
  m_title->setText(tr("Why here"));
  m_list->clear();
  m_here = {};
  auto* item = new QListWidgetItem(m_list);
  item->setFlags(Qt::NoItemFlags);
  item->setData(kHead, tr("looking…"));
  show();
  raise();
}

void WhyPanel::showAnswer(const Plan& plan, const WhyHere& here, const std::vector<WhyStep>& story, float radius) {
  m_here = here;
  m_radius = radius;
  m_title->setText(tr("Why here · within %1 m").arg(QLocale().toString(static_cast<double>(radius), 'g', 3)));
  m_list->clear();
  const auto titleOf = [&](const std::string& uid) {
    const Node* node = plan.find(uid);
    return node ? text(node->title) : QString();
  };
  const auto heading = [&](const QString& words) {
    auto* item = new QListWidgetItem(m_list);
    item->setFlags(Qt::NoItemFlags);
    item->setData(kHead, words);
  };
  const auto line = [&](const std::string& uid, const QString& head, const std::string& detail, int point) {
    auto* item = new QListWidgetItem(m_list);
    item->setData(kUid, text(uid));
    item->setData(kHead, head);
    item->setData(kDetail, said(detail));
    item->setData(kPoint, point);
    item->setData(Qt::AccessibleTextRole, QStringLiteral("%1, %2").arg(head, said(detail)));
  };
  if (!story.empty()) {
    heading(tr("This one, from where it was made"));
    for (const WhyStep& step : story) line(step.node, titleOf(step.node), step.what, -1);
  }
  if (!here.sources.empty()) {
    heading(tr("What scatters here"));
    for (const WhySource& s : here.sources) line(s.node, titleOf(s.node), s.what, -1);
  }
  std::size_t left = 0;
  for (const WhyPoint& p : here.points) left += !p.isPlaced;
  heading(here.points.empty() ? tr("No point came this near")
          : here.points.size() < here.pointCount
              ? tr("The nearest %1 of %2 points")
                    .arg(here.points.size())
                    .arg(QLocale().toString(static_cast<qulonglong>(here.pointCount)))
              : tr("%1 left out, %2 placed").arg(left).arg(here.points.size() - left));
  for (std::size_t i = 0; i < here.points.size(); ++i) {
    const WhyPoint& p = here.points[i];
    const QString distance = tr("%1 m").arg(QLocale().toString(static_cast<double>(p.distance), 'f', 2));
    line(p.node,
         p.isPlaced ? tr("%1 · in %2").arg(distance, titleOf(p.node))
                    : tr("%1 · left out by %2").arg(distance, titleOf(p.node)),
         p.what, static_cast<int>(i));
  }
  show();
  raise();
}

std::optional<Vec3> WhyPanel::markedPlace() const {
  const QListWidgetItem* item = m_list->currentItem();
  const int i = item ? item->data(kPoint).toInt() : -1;
  if (!item || item->data(kPoint).isNull() || i < 0 || static_cast<std::size_t>(i) >= m_here.points.size())
    return std::nullopt;
  return m_here.points[static_cast<std::size_t>(i)].place;
}

void WhyPanel::keyPressEvent(QKeyEvent* event) {
  if (event->key() == Qt::Key_Escape) {
    Q_EMIT closed();
    return;
  }
  if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) {
    if (const QListWidgetItem* item = m_list->currentItem()) Q_EMIT nodeWanted(item->data(kUid).toString());
    return;
  }
  QFrame::keyPressEvent(event);
}

}  // namespace arvesk
