#include "app/parts/controls.h"

#include "app/look/look.h"
#include "appmodel/subject_model.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QPainter>
#include <QScrollArea>
#include <QStyle>
#include <QToolTip>
#include <cmath>

namespace thicket::app {

Segmented::Segmented(const QStringList& choices, const QStringList& tips, QWidget* parent)
    : QWidget(parent), m_choices(choices), m_tips(tips), m_count(static_cast<int>(choices.size())) {
    setFocusPolicy(Qt::TabFocus);
    setCursor(Qt::PointingHandCursor);
    setFixedSize(sizeHint());
    setAccessibleName(choices.join(QStringLiteral(", ")));
}

QSize Segmented::sizeHint() const {
    return {m_count * m_cellWidth, 26};
}

QRect Segmented::cell(int index) const {
    const int w = width() / m_count;
    return {index * w, 0, w, height()};
}

void Segmented::setCurrent(int index) {
    if (index == m_current || index < 0 || index >= m_count)
        return;
    m_current = index;
    setAccessibleDescription(m_choices[index]);
    update();
}

void Segmented::setCount(int count) {
    m_count = count;
    m_current = m_current < count ? m_current : 0;
    setFixedSize(sizeHint());
    update();
}

void Segmented::setCellWidth(int width) {
    m_cellWidth = width;
    setFixedSize(sizeHint());
    update();
}

void Segmented::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Look& l = Look::now();
    p.setPen(QPen(hasFocus() ? l.accent : l.line, 1));
    p.setBrush(l.ground);
    p.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 5, 5);
    for (int i = 0; i < m_count; ++i) {
        const QRect c = cell(i);
        if (i == m_current) {
            p.setPen(Qt::NoPen);
            p.setBrush(l.raised);
            p.drawRoundedRect(c.adjusted(2, 2, -2, -2), 4, 4);
        }
        p.setFont(Look::font(11.5, i == m_current ? 600 : 400));
        p.setPen(i == m_current ? l.text : l.quiet);
        p.drawText(c, Qt::AlignCenter, m_choices[i]);
    }
}

void Segmented::mousePressEvent(QMouseEvent* event) {
    for (int i = 0; i < m_count; ++i)
        if (cell(i).contains(event->pos()) && i != m_current) {
            setCurrent(i);
            emit picked(i);
        }
}

void Segmented::keyPressEvent(QKeyEvent* event) {
    const int step = event->key() == Qt::Key_Right ? 1 : event->key() == Qt::Key_Left ? -1 : 0;
    if (step == 0 || m_current + step < 0 || m_current + step >= m_count) {
        QWidget::keyPressEvent(event);
        return;
    }
    setCurrent(m_current + step);
    emit picked(m_current);
}

bool Segmented::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        for (int i = 0; i < m_count && i < m_tips.size(); ++i)
            if (cell(i).contains(help->pos()))
                QToolTip::showText(help->globalPos(), m_tips[i], this);
        return true;
    }
    return QWidget::event(event);
}

void paintStaircase(QPainter& p, const QRectF& rect, const QVector<double>& triangles) {
    if (triangles.isEmpty())
        return;
    const double top = std::log10(std::max(triangles.front(), 10.0));
    p.setPen(Qt::NoPen);
    for (int i = 0; i < triangles.size() && i < 7; ++i) {
        const double share = std::clamp((std::log10(std::max(triangles[i], 2.0)) - 1.2) / (top - 1.2), 0.08, 1.0);
        const double h = rect.height() * (0.08 + 0.92 * share * share);
        p.setBrush(Look::level(i));
        p.drawRoundedRect(QRectF(rect.left() + i * 7, rect.bottom() - h, 6, h), 1, 1);
    }
}

void SubjectDelegate::paint(QPainter* p, const QStyleOptionViewItem& option, const QModelIndex& index) const {
    p->save();
    p->setRenderHint(QPainter::Antialiasing);
    const Look& l = Look::now();
    const QRect r = option.rect;
    const bool selected = option.state.testFlag(QStyle::State_Selected);
    if (selected || option.state.testFlag(QStyle::State_MouseOver)) {
        p->setPen(Qt::NoPen);
        QColor fill = l.raised;
        if (!selected)
            fill.setAlphaF(0.5F);
        p->setBrush(fill);
        p->drawRoundedRect(r.adjusted(8, 1, -8, -1), 5, 5);
    }
    if (selected)
        p->fillRect(QRect(r.left() + 8, r.top() + 5, 3, r.height() - 10), l.accent);
    const QRect picture(r.left() + 18, r.top() + 6, 34, 34);
    p->setPen(Qt::NoPen);
    p->setBrush(selected ? l.line : l.raised);
    p->drawRoundedRect(picture, 4, 4);
    const auto image = index.data(SubjectModel::Picture).value<QImage>();
    p->setRenderHint(QPainter::SmoothPixmapTransform);
    if (!image.isNull())
        p->drawImage(picture.adjusted(1, 1, -1, -1), image);
    const QVariantList levels = index.data(SubjectModel::Levels).toList();
    const int stairs = std::min<int>(static_cast<int>(levels.size()), 7) * 7;
    const int textWidth = r.right() - 20 - stairs - (r.left() + 60);
    p->setFont(Look::font(12.5, 500));
    p->setPen(l.text);
    p->drawText(QRect(r.left() + 60, r.top() + 6, textWidth, 18), Qt::AlignLeft | Qt::AlignVCenter,
                p->fontMetrics().elidedText(index.data().toString(), Qt::ElideRight, textWidth));
    p->setFont(Look::font(11));
    p->setPen(index.data(SubjectModel::Missing).toBool() ? l.over : l.quiet);
    p->drawText(QRect(r.left() + 60, r.top() + 24, textWidth, 16), Qt::AlignLeft | Qt::AlignVCenter,
                p->fontMetrics().elidedText(index.data(SubjectModel::Weight).toString(), Qt::ElideRight, textWidth));
    QVector<double> counts;
    for (const QVariant& v : levels)
        counts << v.toDouble();
    paintStaircase(*p, QRectF(r.right() - 16 - stairs, r.top() + 14, stairs, 22), counts);
    if (index.data(SubjectModel::Serious).toBool()) {
        p->setPen(Qt::NoPen);
        p->setBrush(l.caution);
        p->drawEllipse(QPointF(r.right() - 14, r.top() + 8), 3.2, 3.2);
    }
    p->restore();
}

QSize SubjectDelegate::sizeHint(const QStyleOptionViewItem&, const QModelIndex&) const {
    return {200, 48};
}

void SubjectDelegate::updateEditorGeometry(QWidget* editor, const QStyleOptionViewItem& option,
                                           const QModelIndex&) const {
    editor->setGeometry(option.rect.adjusted(56, 10, -16, -10));
}

Panel::Panel(const QString& text, QWidget* parent) : QWidget(parent) {
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(16, 12, 12, 12);
    outer->setSpacing(8);
    auto* head = new QHBoxLayout;
    title = new NameLabel(text);
    title->setProperty("title", true);
    aside = new NameLabel;
    aside->setProperty("small", true);
    aside->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    aside->setTextInteractionFlags(Qt::TextSelectableByMouse);
    head->addWidget(title, 1);
    head->addWidget(aside);
    outer->addLayout(head);
    auto* scroll = new QScrollArea;
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    auto* inner = new QWidget;
    inner->setAutoFillBackground(false);
    scroll->viewport()->setAutoFillBackground(false);
    body = new QVBoxLayout(inner);
    body->setContentsMargins(0, 0, 4, 0);
    body->setSpacing(8);
    body->setAlignment(Qt::AlignTop);
    scroll->setWidget(inner);
    outer->addWidget(scroll, 1);
    footer = new QHBoxLayout;
    footer->setSpacing(8);
    outer->addLayout(footer);
}

QPushButton* makeButton(const QString& text, const QString& tip, bool primary) {
    auto* button = new QPushButton(text);
    button->setToolTip(tip);
    button->setAccessibleName(text);
    button->setAccessibleDescription(tip);
    button->setCursor(Qt::PointingHandCursor);
    if (primary)
        button->setProperty("primary", true);
    return button;
}

void clearLayout(QLayout* layout) {
    while (QLayoutItem* item = layout->takeAt(0)) {
        if (QWidget* old = item->widget()) {
            old->hide();
            old->deleteLater();
        }
        delete item;
    }
}

QWidget* fieldRow(const QString& label, QWidget* field, const QString& tip) {
    auto* row = new QWidget;
    auto* layout = new QHBoxLayout(row);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    // A long entry of a list must not make the panel wider than its place.
    if (auto* list = qobject_cast<QComboBox*>(field))
        list->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    QLabel* name = makeLabel(label, "small");
    name->ensurePolished(); // in the font that it is shown in
    constexpr int kUsual = 80;
    name->setFixedWidth(std::max(kUsual, name->sizeHint().width()));
    layout->addWidget(name);
    layout->addWidget(field, 1);
    row->setToolTip(tip);
    field->setToolTip(tip);
    field->setAccessibleName(label);
    field->setAccessibleDescription(tip);
    return row;
}

QString NameLabel::shown() const {
    return fontMetrics().elidedText(text(), Qt::ElideMiddle, contentsRect().width());
}

QSize NameLabel::minimumSizeHint() const {
    constexpr int kWords = 130;
    const QSize all = QLabel::minimumSizeHint();
    return {std::min(alignment().testFlag(Qt::AlignRight) ? kWords / 2 : kWords, all.width()), all.height()};
}

bool NameLabel::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip && toolTip().isEmpty() && shown() != text()) {
        QToolTip::showText(static_cast<QHelpEvent*>(event)->globalPos(), text(), this);
        return true;
    }
    return QLabel::event(event);
}

void NameLabel::paintEvent(QPaintEvent* event) {
    const QString text = shown();
    if (text == this->text()) {
        QLabel::paintEvent(event);
        return;
    }
    QPainter p(this);
    style()->drawItemText(&p, contentsRect(), static_cast<int>(alignment()), palette(), isEnabled(), text,
                          foregroundRole());
}

QLabel* makeLabel(const QString& text, const char* kind) {
    auto* label = new QLabel(text);
    if (kind != nullptr)
        label->setProperty(kind, true);
    return label;
}

NumberBox::NumberBox(double low, double high, int decimals, const QString& suffix, QWidget* parent)
    : QDoubleSpinBox(parent) {
    setMinimumWidth(56); // not that of its largest value: panels are narrow
    setRange(low, high);
    setDecimals(decimals);
    setSuffix(suffix);
    setKeyboardTracking(false);
    setFocusPolicy(Qt::StrongFocus);
    setGroupSeparatorShown(true);
    setStepType(QAbstractSpinBox::AdaptiveDecimalStepType);
    connect(this, &QDoubleSpinBox::valueChanged, this, &NumberBox::chosen);
}

void NumberBox::show(double value) {
    const QSignalBlocker quiet(this);
    setValue(value);
}

void NumberBox::setTopText(const QString& text) {
    m_top = text;
    setValue(value());
}

double NumberBox::valueFromText(const QString& text) const {
    return !m_top.isEmpty() && text.contains(m_top) ? maximum() : QDoubleSpinBox::valueFromText(text);
}

QValidator::State NumberBox::validate(QString& text, int& at) const {
    return !m_top.isEmpty() && text.contains(m_top) ? QValidator::Acceptable : QDoubleSpinBox::validate(text, at);
}

QString NumberBox::textFromValue(double value) const {
    if (!m_top.isEmpty() && value >= maximum())
        return m_top;
    QString text = QDoubleSpinBox::textFromValue(value);
    if (decimals() > 0 && text.contains(locale().decimalPoint())) {
        while (text.endsWith('0'))
            text.chop(1);
        if (text.endsWith(locale().decimalPoint()))
            text.chop(1);
    }
    return text;
}

void ChoiceBox::wheelEvent(QWheelEvent* event) {
    event->ignore();
}

void NumberBox::wheelEvent(QWheelEvent* event) {
    // A wheel that scrolls the panel must not change numbers on its way.
    if (hasFocus())
        QDoubleSpinBox::wheelEvent(event);
    else
        event->ignore();
}

} // namespace thicket::app
