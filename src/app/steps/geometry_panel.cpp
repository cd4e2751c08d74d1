#include "steps/geometry_panel.h"

#include "steps/adjustment_group.h"
#include "steps/lens_dialog.h"

#include <QLabel>
#include <QPushButton>

#include <cmath>

namespace yolk::app {
namespace {

constexpr size_t kMostLines = 4;
constexpr int kShapeColumns = 4; // seven names are wider than the panel

/// What moves the lines of the picture, without what only cuts it.
GeometrySettings uncut(GeometrySettings settings)
{
    settings = uncropped(settings);
    settings.shape = {};
    settings.ownShape = GeometrySettings().ownShape;
    settings.corners = {};
    settings.crop = {};
    return settings;
}

} // namespace

GeometryPanel::GeometryPanel(Document *document, QWidget *parent)
    : Panel(parent), document_(document), controls_(new FieldControls(document, this)),
      crop_(new CropTool(document, this)), line_(new LineTool(document, this)), pulls_(new PullTool(document, this)),
      rule_(new QPushButton(tr("Draw a line"), this)), pull_(new QPushButton(tr("Pull corners"), this)),
      level_(new QPushButton(tr("Level by itself"), this)), upright_(new QPushButton(tr("Plumb by itself"), this)),
      forget_(new QPushButton(tr("Forget the lines"), this)), lens_(new QPushButton(tr("Choose a lens…"), this)),
      turnShape_(new QPushButton(tr("Other way up"), this)), all_(new QPushButton(tr("Take all"), this)),
      shape_(choiceRow(fieldOf<kPictureMapFields, &GeometrySettings::shape>(), this, kShapeColumns)),
      facts_(new QLabel(this)), lensName_(new QLabel(this))
{
    rule_->setCheckable(true);
    rule_->setToolTip(
        tr("Then drag along something that should be level or upright. Up to four lines: two upright ones "
           "make walls parallel, two level ones straighten what runs away. By keys: Tab to an end, arrow keys, Enter. "
           "Shift+R"));
    pull_->setCheckable(true);
    pull_->setToolTip(
        tr("Four eggs hold the picture near its corners: to the side they make walls upright, up and down "
           "they straighten what is level. Shift+C"));
    level_->setToolTip(tr("Turns the picture by the lines that are found in it."));
    upright_->setToolTip(tr("Makes the walls upright by the lines that are found in the picture; then take some of it "
                            "back with Strength where it looks top-heavy."));
    forget_->setToolTip(tr("The lines that were drawn no longer count; the picture stays as it is."));
    lens_->setToolTip(tr("Chooses the lens from all that lens data list, where the frames do not say which it was."));
    turnShape_->setToolTip(tr("Changes width and height of the crop."));
    all_->setToolTip(tr("The crop is all of the picture again."));
    for (QLabel *label : {facts_, lensName_}) {
        label->setWordWrap(true);
        label->setForegroundRole(QPalette::PlaceholderText);
    }
    QHash<QString, FoldGroup *> groups;
    const auto groupOf = [&](std::string_view name) {
        FoldGroup *&group = groups[words(name)];
        if (!group)
            add(group = new AdjustmentGroup(document, Step::Geometry, name, this));
        return group;
    };
    for (QPushButton *button : {rule_, forget_, level_})
        groupOf("Straighten")->add(button);
    for (QPushButton *button : {pull_, upright_})
        groupOf("Verticals")->add(button);
    groupOf("Crop");
    groupOf("Lens")->add(lensName_);
    groupOf("Lens")->add(lens_);
    groupOf("Bend");
    groupOf("Crop")->add(shape_);
    groupOf("Crop")->add(turnShape_);
    groupOf("Crop")->add(all_);
    groupOf("Crop")->add(facts_);
    const auto makeControls = [&](const auto &section) {
        if (section.step != Step::Geometry)
            return;
        forEachField(*section.fields, [&](const auto &field) {
            if constexpr (requires { field.group; })
                if (field.key != "shape") // which crops as well
                    if (QWidget *control = controls_->make(section, field))
                        groupOf(field.group)->add(control);
        });
    };
    forSectionsOf<&Recipe::lens>(makeControls);
    forSectionsOf<&Recipe::geometry>(makeControls);
    auto *again = new QPushButton(tr("Start again"), this);
    again->setToolTip(tr("Returns all settings of this step to the automatic start."));
    add(again);
    addStretch();
    connect(again, &QPushButton::clicked, document, [document] { document->startAgain(Step::Geometry); });
    for (QPushButton *button : {rule_, pull_})
        connect(button, &QPushButton::clicked, this, [this, button](bool on) { chooseTool(button, on); });
    connect(line_, &LineTool::drawn, this, &GeometryPanel::takeLine);
    connect(line_, &LineTool::finished, this, &GeometryPanel::useTools);
    connect(pulls_, &PullTool::finished, this, &GeometryPanel::useTools);
    connect(forget_, &QPushButton::clicked, this, [this] {
        lines_.clear();
        refresh();
        Q_EMIT linesChanged();
    });
    connect(level_, &QPushButton::clicked, document, [document] { document->straighten(Straightening::Angle); });
    connect(upright_, &QPushButton::clicked, document, [document] { document->straighten(Straightening::Verticals); });
    connect(lens_, &QPushButton::clicked, this, &GeometryPanel::chooseLens);
    connect(shape_, &ChoiceRow::chosen, document,
            [document](int index) { document->cropTo(kCropShapes[size_t(index)].value); });
    connect(turnShape_, &QPushButton::clicked, document, &Document::turnCrop);
    connect(all_, &QPushButton::clicked, document, &Document::uncrop);
    connect(document, &Document::setChanged, this, [this] {
        lines_.clear();
        seen_ = uncut(document_->recipe().geometry);
        useTools();
    });
    connect(document, &Document::recipeChanged, this, &GeometryPanel::refresh);
    refresh();
}

CanvasTool *GeometryPanel::tool() const
{
    if (rule_->isChecked())
        return line_;
    return pull_->isChecked() ? static_cast<CanvasTool *>(pulls_) : crop_;
}

void GeometryPanel::useTools()
{
    rule_->setChecked(false);
    pull_->setChecked(false);
    Q_EMIT toolChanged();
}

void GeometryPanel::chooseTool(QPushButton *button, bool on)
{
    useTools();
    button->setChecked(on);
    if (on && button == rule_)
        line_->begin();
    Q_EMIT toolChanged();
}

void GeometryPanel::chooseLens()
{
    QStringList lenses;
    for (const std::string &name : listedLenses())
        lenses << QString::fromStdString(name);
    LensSettings lens = document_->recipe().lens;
    LensDialog dialog(lenses, QString::fromStdString(lens.name), window());
    if (dialog.exec() != QDialog::Accepted)
        return;
    lens.name = dialog.chosen().toStdString();
    if (!lens.name.empty()) // it is chosen to be used
        lens.straightens = lens.evens = true;
    document_->setLens(lens, tr("choose a lens"));
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

void GeometryPanel::refresh()
{
    if (!document_->isOpen())
        return;
    forget_->setVisible(!lines_.empty());
    const GeometrySettings &now = document_->recipe().geometry;
    for (size_t i = 0; i < kCropShapes.size(); ++i)
        if (kCropShapes[i].value == now.shape)
            shape_->setIndex(int(i));
    const QSize size = document_->pictureArea().size();
    turnShape_->setEnabled(size.width() != size.height());
    all_->setEnabled(now != uncropped(now));
    facts_->setText(cropFacts(*document_));
    const QString lens = document_->lensName();
    lensName_->setText(lens.isEmpty() ? tr("The frames do not say which lens this is, or nothing is listed for it.")
                                      : tr("Listed: %1").arg(lens));
    for (const char *path : {"lens.evens", "lens.straightens"}) // of nothing they do nothing
        controls_->control(QLatin1String(path))->setVisible(!lens.isEmpty());
    if (const GeometrySettings lies = uncut(now); lies != seen_) {
        seen_ = lies;
        Q_EMIT linesMoved();
    }
}

} // namespace yolk::app
