#include "app/viewport/view_stack.h"

#include "app/parts/controls.h"

#include <QHBoxLayout>

namespace thicket::app {

ViewStack::ViewStack(Workbench& bench, QWidget* parent)
    : QWidget(parent), m_viewport(new Viewport(bench, this)), m_overview(new Overview(bench, *m_viewport, this)),
      m_bar(new QWidget(this)) {
    m_overview->hide();
    auto* row = new QHBoxLayout(m_bar);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(6);
    m_choice = new Segmented({tr("Shot"), tr("Inset"), tr("Split")},
                             {tr("Only what the shot camera sees (O)"),
                              tr("A small overview of what it selected, in the corner (O)"),
                              tr("The shot camera's view and the overview side by side (O)")});
    m_choice->setCellWidth(56);
    m_swap = makeButton(tr("Swap"), tr("Let the two views change places (Y)"));
    m_freeze = makeButton(tr("Freeze"), tr("Hold what is selected now, wherever the shot camera goes (F)"));
    m_freeze->setCheckable(true);
    m_freeze->setObjectName(QStringLiteral("freeze"));
    for (QPushButton* button : {m_swap, m_freeze}) {
        button->setFixedHeight(m_choice->sizeHint().height());
        button->setStyleSheet(QStringLiteral("padding: 0 10px")); // room for letters that reach below the line
    }
    row->addWidget(m_choice);
    row->addWidget(m_swap);
    row->addWidget(m_freeze);
    connect(m_choice, &Segmented::picked, this, [this](int i) { setMode(static_cast<OverviewMode>(i)); });
    connect(m_swap, &QPushButton::clicked, this, &ViewStack::swap);
    connect(m_freeze, &QPushButton::clicked, m_viewport, &Viewport::setFrozen);
    // What is held ends by itself when the scene changes.
    connect(m_viewport, &Viewport::selected, this, [this] { m_freeze->setChecked(m_viewport->frozen()); });
    arrange();
}

void ViewStack::setMode(OverviewMode mode) {
    m_mode = mode;
    arrange();
    if (m_overview->isVisible())
        m_overview->fit();
}

void ViewStack::swap() {
    if (!m_overview->isVisible())
        return;
    m_swapped = !m_swapped;
    arrange();
}

void ViewStack::toggleFreeze() {
    m_viewport->setFrozen(!m_viewport->frozen());
}

void ViewStack::setOffered(bool offered) {
    m_offered = offered;
    if (!offered)
        m_viewport->setFrozen(false);
    m_bar->setVisible(offered);
    arrange();
}

void ViewStack::resizeEvent(QResizeEvent* event) {
    QWidget::resizeEvent(event);
    arrange();
}

void ViewStack::arrange() {
    const bool two = m_offered && m_mode != OverviewMode::Off;
    m_choice->setCurrent(static_cast<int>(m_mode));
    m_swap->setVisible(two);
    QRect first = rect();
    QRect second;
    if (two && m_mode == OverviewMode::Split) {
        first.setWidth((width() - 2) / 2);
        second = QRect(first.right() + 3, 0, width() - first.width() - 2, height());
    } else if (two) {
        const QSize small(std::clamp(width() * 2 / 5, 220, 560), std::clamp(height() * 2 / 5, 140, 360));
        second = QRect(QPoint(width() - small.width() - 12, height() - small.height() - 12), small);
    }
    m_viewport->setGeometry(two && m_swapped ? second : first);
    m_overview->setVisible(two);
    if (two) {
        m_overview->setGeometry(m_swapped ? first : second);
        QWidget* behind = m_viewport;
        if (m_swapped)
            behind = m_overview;
        behind->lower();
    }
    m_bar->adjustSize();
    m_bar->move(14, 10);
    emit arranged();
}

} // namespace thicket::app
