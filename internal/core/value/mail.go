package value

import "strings"

// privateMail are domains under which anybody can have a mailbox.
var privateMail = map[string]bool{}

func init() {
	for _, d := range strings.Fields(`gmail.com googlemail.com yahoo.com yahoo.co.uk yahoo.de yahoo.fr yahoo.it yahoo.es ymail.com outlook.com outlook.de outlook.fr hotmail.com hotmail.co.uk hotmail.de hotmail.fr
		hotmail.it hotmail.es live.com live.de live.fr live.nl live.se live.no live.dk msn.com icloud.com me.com mac.com aol.com proton.me protonmail.com mail.com email.com zoho.com fastmail.com hey.com
		gmx.de gmx.net gmx.at gmx.ch gmx.com web.de t-online.de freenet.de arcor.de posteo.de mailbox.org 1und1.de orange.fr wanadoo.fr free.fr laposte.net sfr.fr neuf.fr bbox.fr libero.it virgilio.it tin.it alice.it
		tiscali.it telenet.be skynet.be proximus.be ziggo.nl planet.nl hetnet.nl home.nl kpnmail.nl xs4all.nl bluewin.ch hispeed.ch telia.com bredband.net spray.se online.no broadpark.no mail.dk jubii.dk luukku.com
		wp.pl onet.pl o2.pl interia.pl poczta.onet.pl sapo.pt terra.es telefonica.net seznam.cz centrum.cz azet.sk btinternet.com sky.com talktalk.net virginmedia.com ntlworld.com otenet.gr yandex.ru mail.ru
		naver.com qq.com 163.com 126.com docomo.ne.jp ezweb.ne.jp softbank.ne.jp`) {
		privateMail[d] = true
	}
}

// PrivateMail lists the domains, in small letters, under which anybody can have a
// mailbox; what is written to one of them need not reach a company.
func PrivateMail() []string { return sorted(privateMail) }
