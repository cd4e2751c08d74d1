#include "steps/geometry_panel.h"

#include "steps/adjustment_group.h"

#include <QLabel>
#include <QPushButton>

#include <cmath>

namespace yolk::app {
namespace {

/// Width over height, lying; 0: as the frame, without a crop.
constexpr std::array kShapes{0.0, 1.0, 5.0 / 4.0, 3.0 / 2.0, 16.0 / 9.0};
constexpr size_t kMostLines = 4;

} // namespace

GeometryPanel::GeometryPanel(Document *document, QWidget *parent)
    : Panel(parent), document_(document), controls_(new FieldControls(document, this)),
      rule_(new QPushButton(tr("Draw a line"), this)), level_(new QPushButton(tr("Level by itself"), this)),
      upright_(new QPushButton(tr("Plumb by itself"), this)), forget_(new QPushButton(tr("Forget the lines"), this)),
      shape_(new ChoiceRow(tr("Shape"),
                           {{tr("All"), tr("All of the picture")},
                            {tr("1:1"), tr("A square")},
                            {tr("5:4"), tr("As wide as five to four")},
                            {tr("3:2"), tr("As wide as three to two")},
                            {tr("16:9"), tr("As wide as sixteen to nine")}},
                           this)),
      turnShape_(new QPushButton(tr("Other way up"), this)), facts_(new QLabel(this))
{
    rule_->setCheckable(true);
    rule_->setToolTip(
        tr("Then drag along something that should be level or upright. Up to four lines: two upright ones "
           "make walls parallel, two level ones straighten what runs away. Shift+R"));
    level_->setToolTip(tr("Turns the picture by the lines that are found in it."));
    upright_->setToolTip(tr("Makes the walls upright by the lines that are found in the picture; then take some of it "
                            "back with Strength where it looks top-heavy."));
    forget_->setToolTip(tr("The lines that were drawn no longer count; the picture stays as it is."));
    turnShape_->setToolTip(tr("Changes width and height of the crop's shape."));
    facts_->setWordWrap(true);
    facts_->setForegroundRole(QPalette::PlaceholderText);
    QHash<QString, FoldGroup *> groups;
    const auto groupOf = [&](std::string_view name) {
        FoldGroup *&group = groups[words(name)];
        if (!group)
            add(group = new AdjustmentGroup(document, Step::Geometry, name, this));
        return group;
    };
    FoldGroup *straighten = groupOf("Straighten");
    straighten->add(rule_);
    straighten->add(forget_);
    straighten->add(level_);
    FoldGroup *verticals = groupOf("Verticals");
    verticals->add(upright_);
    groupOf("Lens");
    FoldGroup *crop = groupOf("Crop");
    crop->add(shape_);
    crop->add(turnShape_);
    crop->add(facts_);
    forSectionsOf<&Recipe::geometry>([&](const auto &section) {
        if (section.step != Step::Geometry)
            return;
        forEachField(*section.fields, [&](const auto &field) {
            if (QWidget *control = controls_->make(section, field))
                groupOf(field.group)->add(control);
        });
    });
    auto *again = new QPushButton(tr("Start again"), this);
    again->setToolTip(tr("Returns all settings of this step to the automatic start."));
    add(again);
    addStretch();
    connect(again, &QPushButton::clicked, document, [document] { document->startAgain(Step::Geometry); });
    connect(rule_, &QPushButton::clicked, this, &GeometryPanel::rulingAsked);
    connect(forget_, &QPushButton::clicked, this, [this] {
        lines_.clear();
        refresh();
        Q_EMIT linesChanged();
    });
    connect(level_, &QPushButton::clicked, document, [document] { document->straighten(Straightening::Angle); });
    connect(upright_, &QPushButton::clicked, document, [document] { document->straighten(Straightening::Verticals); });
    connect(shape_, &ChoiceRow::chosen, this, [this](int shape) {
        const QSize plane = document_->planeSize();
        this->crop(shape, plane.height() > plane.width());
    });
    connect(turnShape_, &QPushButton::clicked, this, [this] {
        const QRect area = document_->pictureArea();
        this->crop(shape_->index(), area.height() < area.width());
    });
    connect(document, &Document::setChanged, this, [this] { lines_.clear(); });
    connect(document, &Document::recipeChanged, this, &GeometryPanel::refresh);
    refresh();
}

void GeometryPanel::crop(int shape, bool upright)
{
    const double ratio = kShapes[size_t(shape)];
    document_->cropTo(ratio == 0.0 ? std::nullopt : std::optional(upright ? 1.0 / ratio : ratio));
}

void GeometryPanel::takeLine(const QPointF &from, const QPointF &to)
{
    if (lines_.size() == kMostLines)
        lines_.erase(lines_.begin());
    lines_.push_back({{from.x(), from.y()}, {to.x(), to.y()}});
    document_->straightenBy(lines_);
    refresh();
    Q_EMIT linesChanged();
}

void GeometryPanel::setRuling(bool on)
{
    rule_->setChecked(on);
}

void GeometryPanel::refresh()
{
    if (!document_->isOpen())
        return;
    forget_->setVisible(!lines_.empty());
    const GeometrySettings &now = document_->recipe().geometry;
    const QSize plane = document_->planeSize(), size = document_->pictureArea().size();
    const bool all = now.left == 0.0 && now.top == 0.0 && now.right == 1.0 && now.bottom == 1.0;
    const double w = (now.right - now.left) * plane.width(), h = (now.bottom - now.top) * plane.height();
    int shape = all ? 0 : -1;
    for (size_t i = 1; i < kShapes.size() && !all; ++i)
        if (const double ratio = std::max(w, h) / std::max(1.0, std::min(w, h)); std::abs(ratio - kShapes[i]) < 0.005)
            shape = int(i);
    shape_->setIndex(shape);
    turnShape_->setEnabled(shape > 1);
    constexpr double kPerInch = 300.0, kCentimetres = 2.54;
    const double share = double(size.width()) * size.height() / (double(plane.width()) * plane.height());
    facts_->setText(tr("%1 × %2 pixels, %3 % of the picture; %4 × %5 cm in print at 300 per inch.")
                        .arg(size.width())
                        .arg(size.height())
                        .arg(100.0 * share, 0, 'f', 0)
                        .arg(size.width() / kPerInch * kCentimetres, 0, 'f', 1)
                        .arg(size.height() / kPerInch * kCentimetres, 0, 'f', 1));
}

} // namespace yolk::app
