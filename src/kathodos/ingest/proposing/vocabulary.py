"""What other people call our columns and values, in the large European languages; without accents, blanks and marks."""

from __future__ import annotations

GIVEN, FAMILY, ROLE = "given name", "family name", "role"  # what a column is made of

HEADERS: dict[str, str] = {
    "id": (
        "id staffno staffnumber staffid personnelno personnelnumber employeeid employeeno employeenumber persno "
        "personid uid persnr personalnr personalnummer mitarbeiternr mitarbeiternummer mitarbeiterid stammnummer "
        "ausweisnr matricule matricula numeroagent identifiant nagent numempleado numeroempleado numerodeempleado "
        "nempleado "
        "legajo codigo codigoempleado matricola matriculafuncionario numerofuncionario personeelsnummer "
        "medewerkernummer anstallningsnr anstallningsnummer ansattnummer medarbejdernummer numerpracownika "
        "nrpracownika kennziffer"
    ),
    "name": (
        "name fullname displayname cn commonname employeename nachnamevorname vollstandigername mitarbeiter "
        "nomcomplet nometprenom nomprenom agent nombrecompleto apellidosynombre nombreyapellidos empleado "
        "nominativo nomecompleto volledigenaam naam fullstandignamn namn navn fuldtnavn imieinazwisko"
    ),
    GIVEN: ("givenname firstname forename vorname rufname prenom nombre nombres nome voornaam fornamn fornavn imie"),
    FAMILY: (
        "surname lastname familyname sn nachname familienname zuname nom nomdefamille apellidos apellido cognome "
        "achternaam efternamn etternavn efternavn nazwisko sobrenome apelido"
    ),
    "kind": "kind sort art personenart genre naturaleza tipopersona tipoidentidad",
    "status": (
        "status state condition zustand etat statut estado situacion situacao stato toestand tilstand situation "
        "stan gesperrt deaktiviert aktiv active enabled disabled locked bloqueado activo bloque actif attivo "
        "bloccato actief geblokkeerd ativo sparrad aktywny zablokowany baja"
    ),
    "email": (
        "email mail emailaddress mailadresse emailadresse adressemail adresseelectronique courriel correo "
        "correoelectronico postaelettronica indirizzomail mailadres epost epostadresse adresemail"
    ),
    "department": (
        "department dept unit orgunit division section team costcentre abteilung bereich orgeinheit "
        "organisationseinheit dienststelle kostenstelle service departement direction pole departamento unidad "
        "seccion area servicio reparto ufficio settore afdeling avdelning avdeling setor dzial"
    ),
    "title": (
        "title jobtitle position function job role stelle funktion stellenbezeichnung beruf taetigkeit tatigkeit "
        "poste fonction emploi intitule puesto cargo funcion mansione qualifica ruolo functie befattning stilling "
        "stanowisko"
    ),
    "manager": (
        "manager reportsto supervisor boss linemanager superior vorgesetzter vorgesetzte fuhrungskraft "
        "vorgesetzterpersnr responsable superieur responsablehierarchique n1 jefe responsabledirecto responsabile "
        "capo leidinggevende chef naermesteleder chefia przelozony gestor"
    ),
    "location": (
        "location site base office place city standort ort dienstort betriebshof lieu ville localisation sede "
        "centro ciudad centrodetrabajo ubicacion luogo locatie vestiging sted local miejsce lokalizacja"
    ),
    "employment": (
        "employment contract contracttype employmenttype workertype beschaftigung beschaeftigung "
        "beschaftigungsart vertrag vertragsart contrat typecontrat typedecontrat contrato tipocontrato "
        "tipodecontrato tipocontratto contratto anstallningsform umowa"
    ),
    "starts": (
        "starts joined start startdate hired hiredate entrydate entry eintritt eintrittsdatum beginn entree "
        "datedentree dateentree dateembauche embauche alta fechaalta fechadealta fechaingreso ingreso inicio "
        "assunzione dataassunzione indienst datumindienst anstallningsdatum admissao dataadmissao "
        "datazatrudnienia ansattdato"
    ),
    "ends": (
        "ends leaving end enddate left leavedate exit exitdate terminated austritt austrittsdatum ende sortie "
        "datedesortie datesortie depart datedepart baja fechabaja fechadebaja fechafin salida cessazione "
        "datacessazione uitdienst datumuitdienst slutdatum demissao datazwolnienia"
    ),
    "previous_department": (
        "previousdepartment camefrom formerdepartment fruhereabteilung vorherigeabteilung abteilungvorher "
        "ancienservice serviceprecedent departamentoanterior unidadanterior repartoprecedente vorigeafdeling"
    ),
    "sponsor": "sponsor answersforit",
    "responsible": "responsible verantwortlich verantwortlicher responsablecuenta responsabile",
    "login": (
        "login account username user accountname loginname userid useraccount anmeldename benutzer benutzername "
        "kennung benutzerkennung konto utilisateur nomutilisateur compte identifiantconnexion usuario "
        "nombreusuario cuenta utente nomeutente gebruiker gebruikersnaam anvandare anvandarnamn bruker brukernavn "
        "uzytkownik utilizador"
    ),
    "identity": (
        "identity person owner staffno employee persnr personalnr personalnummer mitarbeiter matricule agent "
        "empleado numempleado titular dipendente matricola medewerker anstalld ansatt pracownik funcionario "
        "inhaber codigo"
    ),
    "last_login": (
        "lastlogin lastsignin lastlogon lastseen lastaccess letzteanmeldung letzterlogin zuletztangemeldet "
        "derniereconnexion dernieracces ultimoacceso ultimaconexion ultimoingreso ultimoaccesso laatsteaanmelding "
        "senasteinloggning sisteinnlogging ultimoacesso ostatnielogowanie"
    ),
    "privileged": (
        "privileged admin isadmin administrator superuser privilegiert administrateur administrador amministratore"
    ),
    "system": ("system application app platform anwendung systeme logiciel sistema aplicacion applicazione systeem"),
    "group": "group groupname gruppe gruppenname groupe grupo gruppo groep grupp grupa",
    "member": "member memberid mitglied membre miembro membro lid medlem czlonek",
    ROLE: "role rolename profile rolle rollenname profil profilo rol perfil ruolo roll rola funcao",
    "action": (
        "action operation verb right activity recht aktion berechtigung tatigkeit droit permiso accion operacion "
        "derecho azione operazione diritto actie handeling rattighet handling operacja uprawnienie acao"
    ),
    "resource": (
        "resource object target path item objekt ressource pfad ziel objet chemin recurso objeto ruta risorsa "
        "oggetto bron resurs zasob sciezka"
    ),
    "type": "type objekttyp objectype ressourcentyp typ tipo tipoderecurso tipoobjeto soort typeobjet",
    "owner": (
        "owner eigentumer eigner zustandig proprietaire responsable propietario proprietario eigenaar agare eier"
    ),
    "sensitivity": (
        "sensitivity class classification confidentiality schutzbedarf vertraulichkeit schutzstufe sensibilite "
        "confidentialite sensibilidad confidencialidad riservatezza gevoeligheid"
    ),
    "holder": (
        "holder assignee grantee berechtigter inhaber user benutzer anmeldename utilisateur usuario utente "
        "gebruiker titulaire titular anvandare"
    ),
    "gives": "gives entitlement permission access zugriff",
    "on": ("on scope area bereich geltungsbereich linie perimetre zone ambito alcance zona bereik omrade obszar"),
    "effect": "effect effekt wirkung effet efecto effetto permitdeny",
    "from": (
        "from validfrom start startdate gultigab gueltigab ab beginn valabledu debut du desde validodesde inicio "
        "validodal dal geldigvanaf vanaf fran gjelderfra od waznyod de"
    ),
    "until": (
        "until validto validuntil expires expiry end enddate gultigbis gueltigbis bis ablauf valablejusquau "
        "expiration fin au hasta validohasta caducidad vence scadenza validoal al geldigtot tot till gyldigtil do "
        "waznydo ate"
    ),
    "given_by": (
        "givenby grantedby approvedby vergebenvon genehmigtvon accordepar autorizadopor concedidopor autorizzatoda"
    ),
    "given_at": ("givenat grantedat grantedon assignedon vergebenam dateattribution fechaconcesion fechaasignacion"),
    "reason": (
        "reason comment justification grund begrundung bemerkung motif commentaire motivo comentario observaciones"
    ),
    "last_used": "lastused lastuse lastuseddate zuletztbenutzt dernieremploi ultimouso",
    "time": (
        "time timestamp date datetime when at zeit zeitpunkt datum datumuhrzeit uhrzeit horodatage dateheure "
        "heure fecha fechahora hora momento data dataora ora datumtijd tijd tid tidspunkt czas"
    ),
    "record": (
        "record document recordid reference vorgang beleg belegnr vorgangsnr dossier numerodossier expediente registro"
    ),
    "count": ("count number times hits anzahl haufigkeit nombre occurrences veces cantidad numero aantal antal"),
    "title of a thing": (
        "bezeichnung beschreibung description libelle descripcion denominacion descrizione omschrijving"
    ),
}
MEANINGS: dict[str, str] = {
    "active": (
        "active employed inservice current working yes y 1 enabled aktiv imdienst beschaftigt ja actif enposte "
        "oui activo enactivo alta si attivo inservizio actief ativo ansatt anstalld aktywny"
    ),
    "left": (
        "left gone terminated exited inactive former departed no n 0 dismissed retired ausgeschieden inaktiv nein "
        "weg gekundigt parti sorti inactif non baja inactivo cesado cessato uitdienst inactief sluttet slutat "
        "demitido"
    ),
    "suspended": (
        "suspended onhold leave onleave blocked paused ruhend ruht beurlaubt elternzeit gesperrt suspendu enconge "
        "suspendido excedencia sospeso congedo opnonactief tjanstledig permisjon"
    ),
    "invited": "invited pending new prospective eingeladen neu invite invitado pendiente invitato nuovo",
    "person": "person human staff employee p mensch mitarbeiter personne persona persoon",
    "service": "service technical system machine svc robot dienst technisch servicio tecnico servizio",
    "agent": "agent bot assistant agente assistent",
    "enabled": (
        "enabled active on open yes y 1 aktiv offen freigegeben actif ouvert activo abierto si attivo aperto actief"
    ),
    "disabled": (
        "disabled inactive off locked blocked closed no n 0 inaktiv gesperrt deaktiviert inactif bloque ferme "
        "inactivo bloqueado cerrado inattivo bloccato inactief geblokkeerd"
    ),
    "permit": "permit allow allowed grant yes erlaubt ja autorise permitido si permesso toegestaan +",
    "deny": "deny denied refuse forbid no verboten verweigert nein interdit denegado negato geweigerd -",
    "read": (
        "read view list lesen ansehen anzeigen lire consulter voir leer ver consultar leggere vedere lezen bekijken"
    ),
    "write": (
        "write edit change create plan book enter schreiben planen buchen erfassen bearbeiten andern anlegen ecrire "
        "modifier saisir escribir editar modificar crear registrar scrivere modificare schrijven wijzigen"
    ),
    "export": ("export download exportieren drucken exporter telecharger exportar descargar esportare scaricare"),
    "approve": (
        "approve release check freigeben genehmigen prufen pruefen valider approuver aprobar autorizar validar "
        "approvare autorizzare"
    ),
    "administer": (
        "administer admin manage verwalten administrieren konfigurieren administrer gerer configurer administrar "
        "gestionar configurar amministrare configurare beheren"
    ),
}
LOCKED = frozenset(
    [
        "gesperrt",
        "deaktiviert",
        "disabled",
        "locked",
        "bloqueado",
        "bloque",
        "bloccato",
        "geblokkeerd",
        "sparrad",
        "zablokowany",
        "baja",
    ]
)  # headers under which yes means that it is not enabled, or not there
YES = frozenset(
    ["yes", "y", "1", "true", "ja", "j", "oui", "o", "si", "s", "sim", "x", "wahr", "vrai", "verdadero", "vero", "tak"]
)
NO = frozenset(["no", "n", "0", "false", "nein", "non", "nao", "falsch", "faux", "falso", "nie", "-"])
