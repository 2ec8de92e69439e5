#include "app/thin/care_bar.h"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QMenu>

namespace thicket::app {

CareBar::CareBar(Workbench& bench, QWidget* parent)
    : QFrame(parent), m_bench(bench),
      m_kind(new Segmented({tr("Paint"), tr("Erase")}, {tr("Protect what the brush goes over"),
                                                        tr("Take protection away (X changes between the two)")})),
      m_size(new NumberBox(0.01, 1e7, 2, tr(" cm"))), m_strength(new NumberBox(1, 100, 0, tr(" %"))),
      m_mirror(new QCheckBox(tr("mirror"))),
      m_colors(
          makeButton(tr("From…"), tr("Take care from a channel of the mesh's vertex colours, or from a grey picture by "
                                     "its UVs: white protects"))),
      m_clear(makeButton(tr("Clear"), tr("Take all care off this subject"))) {
    setObjectName(QStringLiteral("careBar"));
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(8, 5, 8, 5);
    row->setSpacing(8);
    m_size->setFixedWidth(84);
    m_size->setToolTip(tr("Radius of the brush ([ and ] change it)"));
    m_size->setAccessibleName(tr("Radius of the brush"));
    m_strength->setFixedWidth(66);
    m_strength->show(100);
    m_strength->setToolTip(tr("How much care the brush leaves; at 100 % a deviation counts sixteen times as much"));
    m_strength->setAccessibleName(tr("Strength of the brush"));
    m_mirror->setToolTip(tr("Paint the other side, across X, at the same time"));
    for (QWidget* w :
         std::initializer_list<QWidget*>{m_kind, makeLabel(tr("Size"), "small"), m_size,
                                         makeLabel(tr("Strength"), "small"), m_strength, m_mirror, m_colors, m_clear})
        row->addWidget(w);
    auto* channels = new QMenu(this);
    const QStringList names{tr("Red of the vertices"), tr("Green of the vertices"), tr("Blue of the vertices"),
                            tr("Alpha of the vertices")};
    for (int i = 0; i < 4; ++i)
        m_channels << channels->addAction(names[i], this, [this, i] {
            CareStroke stroke = brush();
            stroke.kind = CareStroke::Kind::FromColor;
            stroke.channel = i;
            m_bench.care.layStroke(m_bench.session.subjectId(), stroke);
        });
    m_picture = channels->addAction(tr("A picture…"), this, [this] {
        const QString file =
            QFileDialog::getOpenFileName(this, tr("Take care from a picture"), {},
                                         tr("Pictures (*.png *.jpg *.jpeg *.tga *.bmp *.psd *.tif *.tiff *.webp)"));
        if (!file.isEmpty())
            m_bench.care.fromMask(m_bench.session.subjectId(), file, brush());
    });
    m_colors->setMenu(channels);
    connect(m_clear, &QPushButton::clicked, this, [this] { m_bench.care.clear(m_bench.session.subjectId()); });
    connect(m_size, &NumberBox::chosen, this, [this] { emit brushChanged(); });
    connect(&bench.session.document, &Document::sceneChanged, this, &CareBar::refresh);
    connect(&bench.session, &Session::selectionChanged, this, &CareBar::refresh);
    refresh();
}

void CareBar::refresh() {
    const Subject* s = m_bench.session.meshSubject();
    if (s == nullptr)
        return;
    if (s->id != m_subject) {
        m_subject = s->id;
        m_size->show(100 * 0.1 * s->radius);
    }
    const auto& mesh = s->mesh().levels.front().mesh;
    m_colors->setVisible(mesh && (!mesh->colors.empty() || !mesh->uvs.empty()));
    for (QAction* channel : m_channels)
        channel->setVisible(mesh && !mesh->colors.empty());
    m_picture->setVisible(mesh && !mesh->uvs.empty());
    m_clear->setEnabled(s->mesh().care != nullptr);
    adjustSize();
}

CareStroke CareBar::brush() const {
    CareStroke stroke;
    stroke.kind = m_kind->current() == 0 ? CareStroke::Kind::Paint : CareStroke::Kind::Erase;
    stroke.radius = static_cast<float>(m_size->value() / 100);
    stroke.strength = static_cast<float>(m_strength->value() / 100);
    stroke.mirror = m_mirror->isChecked();
    if (const Subject* s = m_bench.session.meshSubject())
        stroke.mirrorX = static_cast<float>(s->bounds.centre().x());
    return stroke;
}

void CareBar::scaleBrush(double factor) {
    m_size->show(m_size->value() * factor);
    emit brushChanged();
}

void CareBar::toggleErase() {
    m_kind->setCurrent(1 - m_kind->current());
}

} // namespace thicket::app
