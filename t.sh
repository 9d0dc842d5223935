/tmp/w/rs observe texts/*.txt --form lamp2.form -w obs; /tmp/w/rs compare obs | head -40
