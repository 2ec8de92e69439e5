#include "app/thin/play_bar.h"

#include <QHBoxLayout>
#include <QSignalBlocker>

namespace thicket::app {
namespace {
constexpr int kTicks = 1000; // of the time slider
}

PlayBar::PlayBar(Workbench& bench, Viewport& viewport, QWidget* parent)
    : QFrame(parent), m_bench(bench), m_viewport(viewport),
      m_play(makeButton(tr("Play"), tr("Play the animation on the level that is shown (Space)"))),
      m_which(new ChoiceBox), m_time(new QSlider(Qt::Horizontal)),
      m_rest(makeButton(tr("At rest"), tr("Show the mesh as it stands without animation"))) {
    setObjectName(QStringLiteral("careBar"));
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(8, 5, 8, 5);
    row->setSpacing(8);
    m_play->setFixedWidth(64);
    m_which->setMinimumWidth(130);
    m_which->setToolTip(tr("Which animation is played"));
    m_which->setAccessibleName(tr("Animation"));
    m_time->setRange(0, kTicks);
    m_time->setFixedWidth(150);
    m_time->setToolTip(tr("Drag to a moment of the animation; the pose is held there"));
    m_time->setAccessibleName(tr("Moment of the animation"));
    for (QWidget* w : std::initializer_list<QWidget*>{m_play, m_which, m_time, m_rest})
        row->addWidget(w);
    connect(m_play, &QPushButton::clicked, this, &PlayBar::toggle);
    connect(m_which, &QComboBox::activated, this,
            [this](int i) { m_viewport.setMoment(static_cast<std::size_t>(i), 0); });
    connect(m_time, &QSlider::valueChanged, this, [this](int tick) {
        m_viewport.play(false);
        m_viewport.setMoment(static_cast<std::size_t>(std::max(0, m_which->currentIndex())),
                             m_viewport.animationLength() * tick / kTicks);
    });
    connect(m_rest, &QPushButton::clicked, this, [this] {
        if (!m_viewport.playsEffect()) {
            m_viewport.toRest();
            return;
        }
        m_viewport.play(false);
        m_viewport.setEffectTime(0);
    });
    connect(&m_viewport, &Viewport::motionChanged, this, &PlayBar::follow);
    connect(&bench.session.document, &Document::sceneChanged, this, &PlayBar::refresh);
    connect(&bench.session, &Session::selectionChanged, this, &PlayBar::refresh);
    hide();
}

void PlayBar::refresh() {
    const bool shown = m_viewport.canPlay();
    const bool effect = m_viewport.playsEffect();
    m_which->setVisible(!effect);
    m_rest->setText(effect ? tr("Start over") : tr("At rest"));
    m_rest->setToolTip(effect ? tr("From the first particle on") : tr("Show the mesh as it stands without animation"));
    m_time->setToolTip(effect ? tr("Drag to a moment; the same moment always looks the same")
                              : tr("Drag to a moment of the animation; the pose is held there"));
    if (shown && !effect && m_rig != m_bench.session.meshSubject()->mesh().rig.get()) {
        m_rig = m_bench.session.meshSubject()->mesh().rig.get();
        m_which->clear();
        for (std::size_t i = 0; i < m_rig->animations.size(); ++i) {
            const QString name = QString::fromStdString(m_rig->animations[i].name);
            m_which->addItem(name.isEmpty() ? tr("animation %1").arg(i + 1) : name);
        }
    }
    setVisible(shown);
    adjustSize();
    follow();
    emit resized();
}

void PlayBar::follow() {
    m_play->setText(m_viewport.playing() ? tr("Pause") : tr("Play"));
    m_rest->setEnabled(m_viewport.inMotion() || m_viewport.playsEffect());
    const QSignalBlocker quiet(m_time);
    const double length = m_viewport.animationLength();
    m_time->setValue(length > 0 ? static_cast<int>(kTicks * m_viewport.moment().seconds / length) : 0);
    if (m_viewport.inMotion())
        m_which->setCurrentIndex(static_cast<int>(m_viewport.moment().animation));
}

} // namespace thicket::app
