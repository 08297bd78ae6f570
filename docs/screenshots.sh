#!/bin/sh
# Takes a picture of each main command's output on the demo data, in a terminal window on a virtual screen.
# Needs xvfb, xterm, imagemagick, chromium and its driver. Run from the project's root: make shots
set -eu
shots=$(pwd)/docs/screenshots
bin=$(pwd)/.venv/bin
folder=$(mktemp -d)
trap 'rm -rf "$folder"' EXIT
cd "$folder"
"$bin/voskar" demo night-apiary > /dev/null

terminal() { # name, command line, and optionally rows of the window
  name=$1
  line=$2
  rows=${3:-42}
  printf '#!/bin/sh\nPATH=%s:$PATH\nprintf "%%s\\n" "$ %s"\n%s\nprintf done > %s\nsleep 30\n' "$bin" "$line" "$line" "$folder/done" > show.sh
  rm -f "$folder/done"
  xvfb-run -a -s "-screen 0 1280x1400x24" sh -c "
    xterm -geometry 104x$rows+0+0 -fa 'DejaVu Sans Mono' -fs 11 -bg '#14161b' -fg '#d8dbe2' -b 12 -e sh show.sh &
    pid=\$!
    while [ ! -e '$folder/done' ]; do sleep 0.1; done
    sleep 0.5
    import -window root -trim +repage '$shots/$name.png'
    kill \$pid" || true
}

page() { # name, file and anchor or address, colour scheme
  case $2 in http:*) address=$2 ;; *) address=file://$folder/night-apiary/$2 ;; esac
  "$bin/python" - "$shots/$1.png" "$address" "$3" <<'PY'
import sys, time
from selenium import webdriver
from selenium.webdriver.chrome.service import Service
path, address, scheme = sys.argv[1:]
options = webdriver.ChromeOptions()
options.binary_location = "/usr/bin/chromium"
for name in ("headless=new", "no-sandbox", "disable-gpu", "disable-background-networking", "disable-component-update"):
    options.add_argument(f"--{name}")
browser = webdriver.Chrome(options=options, service=Service("/usr/bin/chromedriver"))
size = {"width": 1280, "height": 800, "deviceScaleFactor": 1, "mobile": False}
browser.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)
media = [{"name": "prefers-color-scheme", "value": scheme}]
browser.execute_cdp_cmd("Emulation.setEmulatedMedia", {"features": media})
browser.get(address)
time.sleep(1.5)
browser.save_screenshot(path)
browser.quit()
PY
}

(cd night-apiary && "$bin/voskar" page apiary.toml meadow.jsonl) > /dev/null
page page "meadow.html#frame=1131&attacker=hornet-1&target=keeper" light
set -- night-apiary/ring/sparring.toml night-apiary/ring/right/reflect-straight.jsonl night-apiary/ring/bugs/reflect-straight.jsonl
"$bin/voskar" page "$@" -o night-apiary/two.html > /dev/null
page two "two.html#frame=93&attacker=puff-3&target=umber" dark
head -640 night-apiary/meadow.jsonl > play.jsonl
"$bin/voskar" live night-apiary/apiary.toml play.jsonl --page --share 100 > live.out 2> live.err &
live=$!
until address=$(grep -o 'http://[^ ]*' live.err); do sleep 0.2; done
sleep 5
page live "$address" light
kill $live
terminal replay "voskar replay night-apiary/apiary.toml night-apiary/meadow.jsonl --rows 48" 64
terminal check "voskar check night-apiary/apiary.toml night-apiary/meadow.jsonl" 18
terminal explain "voskar check night-apiary/apiary.toml night-apiary/bugs/hits-short-iframes.stage.toml" 18
terminal why "voskar why night-apiary/apiary.toml night-apiary/meadow.jsonl --frame 273 --attacker hornet-1 --target keeper" 48
sed 's/"3-5"/"3-9"/; s/iframes = "60f"/iframes = "0.99s"/; s/rate = 20/rate = 7/' night-apiary/apiary.toml > night-apiary/spoiled.toml
terminal audit "voskar audit night-apiary/spoiled.toml night-apiary/meadow.jsonl" 16
set -- night-apiary/apiary.toml night-apiary/meadow.jsonl
"$bin/voskar" draw "$@" --frame 1131 --actor keeper -o "$shots/frame.png"
"$bin/voskar" draw "$@" --frame 698-709 --region 500,265,620,340 -o "$shots/strip.png" --trail 0
"$bin/voskar" layers "$@" -o "$shots/layers.png" > /dev/null
terminal moves "voskar moves night-apiary/ring/sparring.toml" 16
"$bin/voskar" draw "$@" --timeline --actor keeper --actor hornet-1 --actor drone -o "$shots/timeline.png"
"$bin/voskar" draw night-apiary/ring/sparring.toml night-apiary/ring/match.jsonl --frame 629 -o "$shots/sparring.png"
terminal suite "cd night-apiary && voskar suite" 70
"$bin/voskar" tune "$@" --vary kinds.keeper.iframes=50f..70f -o "$shots/tune.png" > /dev/null
"$bin/voskar" margins "$@" --key kinds.hornet --key kinds.waxling --key attacks -o "$shots/margins.png" > /dev/null
set -- night-apiary/swarm.toml night-apiary/swarm.jsonl
terminal swarm "voskar replay night-apiary/swarm.toml night-apiary/swarm.jsonl --rows 14" 48
terminal emitter "voskar why night-apiary/swarm.toml night-apiary/swarm.jsonl --frame 45 --emitter keeper/smoker" 15
