#include "support/demo_data.h"

#include <QFile>
#include <QMap>
#include <QTextStream>

namespace yolk::test {

double DemoFrame::number(const char *option) const
{
    const qsizetype at = options.indexOf(QLatin1String(option));
    return at < 0 ? 0.0 : options.value(at + 1).toDouble();
}

demo::Lens DemoFrame::lens() const
{
    return {.softness = number("--softness"),
            .barrel = number("--barrel"),
            .redFringe = number("--red-fringe"),
            .blueFringe = number("--blue-fringe"),
            .vignetting = number("--vignetting"),
            .antiAlias = number("--anti-alias"),
            .dustSpots = int(number("--dust")),
            .dustSeed = options.contains("--dust-seed") ? uint64_t(number("--dust-seed")) : 1};
}

std::vector<DemoFrame> demoFrames(const QString &set)
{
    const QString root = QStringLiteral(YOLK_SOURCE_DIR "/demo/");
    QFile table(root + "frames.txt");
    if (!table.open(QIODevice::ReadOnly))
        qFatal("demo/frames.txt is missing");
    std::vector<DemoFrame> out;
    QMap<QString, QStringList> shared;
    while (!table.atEnd()) {
        QStringList words = QString::fromUtf8(table.readLine()).simplified().split(' ', Qt::SkipEmptyParts);
        if (words.isEmpty() || words[0].startsWith('#'))
            continue;
        if (words[0].startsWith('@')) {
            shared[words[0]] = words.mid(1);
            continue;
        }
        if (!words[0].startsWith(set + "/"))
            continue;
        DemoFrame frame{root + words[0], demoTruth(words[1]), {}};
        for (const QString &word : words.mid(2))
            frame.options += shared.value(word, {word});
        out.push_back(frame);
    }
    if (out.empty())
        qFatal("demo/frames.txt has no set %s", qPrintable(set));
    return out;
}

QString MovingThing::scene(int state) const
{
    return demoTruth(name + "_" + (state < 0 ? QString("none") : QString::number(state)));
}

QString MovingThing::mask(int state) const
{
    return QStringLiteral(YOLK_SOURCE_DIR "/demo/truth/%1_%2.png").arg(name).arg(state);
}

std::vector<MovingThing> movingThings()
{
    QFile table(QStringLiteral(YOLK_SOURCE_DIR "/demo/scene/boxes.txt"));
    if (!table.open(QIODevice::ReadOnly))
        qFatal("demo/scene/boxes.txt is missing");
    std::vector<MovingThing> out;
    while (!table.atEnd()) {
        const QStringList words = QString::fromUtf8(table.readLine()).simplified().split(' ');
        if (words.size() == 5 && !words[0].startsWith('#'))
            out.push_back({words[0], {words[1].toInt(), words[2].toInt(), words[3].toInt(), words[4].toInt()}});
    }
    return out;
}

QStringList demoPaths(const QString &set)
{
    QStringList out;
    for (const DemoFrame &frame : demoFrames(set))
        out << frame.path;
    return out;
}

QString demoTruth(const QString &name)
{
    return QStringLiteral(YOLK_SOURCE_DIR "/demo/truth/") + name + ".exr";
}

} // namespace yolk::test
